<script lang="ts">
  /** A day that is typed or picked: kept on Enter or on leaving the field, never at a digit; Escape leaves it as it was. */
  interface Props {
    value: string
    label: string
    keep: (day: string) => void
  }
  let { value, label, keep }: Props = $props()
  let typed = $derived(value)
  let dropped = false // Escape, or kept already

  function done() {
    if (!typed || typed === value || dropped) return
    dropped = true // once: what it stands in may be closed by that, and the field left again
    keep(typed)
  }
</script>

<!-- Before whatever it stands in is closed by the same key, and the field left by that. -->
<svelte:window onkeydowncapture={(event) => event.key === 'Escape' && (dropped = true)} />
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
    }
  }}
  onblur={done}
/>
