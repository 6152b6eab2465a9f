<script lang="ts">
  /** The face of an instrument, by name. */
  import type { Instrument, Picture, Reading } from '../api/client'
  import Bar from './Bar.svelte'
  import Bullet from './Bullet.svelte'
  import Chip from './Chip.svelte'
  import Dial from './Dial.svelte'
  import Lamp from './Lamp.svelte'

  interface Props {
    face: Instrument['face']
    picture: Picture
    mini?: boolean
    open?: (reading: Reading) => void
  }
  let { face, picture, mini = false, open }: Props = $props()
  const faces = { dial: Dial, bullet: Bullet, bar: Bar, lamp: Lamp, chip: Chip }
  const Chosen = $derived(faces[face])
</script>

<Chosen {picture} {mini} {open} />
