<script lang="ts">
  /** A day that is typed or picked: kept on Enter or on leaving the field, never at a digit; Escape leaves it as it was. */
  interface Props {
    value: string
    label: string
    keep: (day: string) => void
  }
  let { value, label, keep }: Props = $props()
  let typed = $derived(value)
  let dropped = false

  function done() {
    if (typed && typed !== value && !dropped) keep(typed)
  }
</script>

<input
  class="type-in"
  type="date"
  aria-label={label}
  value={typed}
  oninput={(event) => (typed = event.currentTarget.value)}
  onfocus={() => (dropped = false)}
  onkeydown={(event) => {
    if (event.key === 'Enter') {
      event.preventDefault()
      done()
    } else if (event.key === 'Escape') dropped = true
  }}
  onblur={done}
/>
