<script lang="ts">
  /** A button that has a file chosen. */
  interface Props {
    label: string
    /** What the file is, for a screen reader. */
    name: string
    accept: string
    main?: boolean
    disabled?: boolean
    take: (files: FileList | null) => void
  }
  let { label, name, accept, main = false, disabled = false, take }: Props = $props()
  let picker: HTMLInputElement
</script>

<button class="act" class:main {disabled} onclick={() => picker.click()}>{label}</button>
<input
  bind:this={picker}
  type="file"
  class="sr-only"
  tabindex="-1"
  {accept}
  aria-label={name}
  onchange={(event) => {
    take(event.currentTarget.files)
    event.currentTarget.value = '' // the same file may be chosen again
  }}
/>
