<script lang="ts">
  /** The face of an instrument, by name; a face for one reading is repeated for many. */
  import type { Component } from 'svelte'
  import type { Picture, Reading } from '../api/client'
  import type { Grab } from './grab'
  import Bar from './Bar.svelte'
  import Bullet from './Bullet.svelte'
  import Chip from './Chip.svelte'
  import Column from './Column.svelte'
  import Dial from './Dial.svelte'
  import Each from './Each.svelte'
  import Figure from './Figure.svelte'
  import Lamp from './Lamp.svelte'
  import Ledger from './Ledger.svelte'
  import Past from './Past.svelte'
  import Pips from './Pips.svelte'
  import Profile from './Profile.svelte'
  import Quadrant from './Quadrant.svelte'
  import Ranked from './Ranked.svelte'
  import Ring from './Ring.svelte'
  import StateStrip from './StateStrip.svelte'
  import Tile from './Tile.svelte'
  import { LOOK, type FaceName, type FaceProps, type Look } from './looks'
  import { kindOf, lists } from './names.svelte'

  interface Props {
    face: FaceName
    picture: Picture
    look?: Look
    mini?: boolean
    open?: (reading: Reading) => void
    grab?: Grab
    tick?: FaceProps['tick']
    take?: FaceProps['take']
  }
  let { face, picture, look = LOOK, mini = false, open, grab, tick, take }: Props = $props()
  const faces: Record<FaceName, Component<FaceProps>> = {
    dial: Dial,
    bullet: Bullet,
    bar: Bar,
    column: Column,
    ring: Ring,
    pips: Pips,
    lamp: Lamp,
    tile: Tile,
    chip: Chip,
    figure: Figure,
    ledger: Ledger,
    ranked: Ranked,
    quadrant: Quadrant,
    profile: Profile,
    history: Past,
    strip: StateStrip,
  }
  const Chosen = $derived(faces[face])
  const kind = $derived(kindOf(face))
  const each = $derived(!mini && kind.many === 'each' && lists(picture))
</script>

{#if each}
  <Each {picture} {look} {open} One={Chosen} figured={kind.figure !== 'within'} shrinks={kind.shrinks} />
{:else}
  <Chosen {picture} {look} {mini} {open} {grab} {tick} {take} />
{/if}
