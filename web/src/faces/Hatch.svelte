<script lang="ts">
  /** The pattern of partial data, in the colour of a state. */
  let { id, fill, ground }: { id: string; fill: string; ground: string } = $props()
</script>

<defs>
  <pattern {id} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
    <rect width="6" height="6" fill={ground} />
    <rect width="3.2" height="6" {fill} />
  </pattern>
</defs>
