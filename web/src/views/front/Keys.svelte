<script lang="ts">
  /** The keys there are. */
  import SidePanel from '../../parts/SidePanel.svelte'

  let { close }: { close: () => void } = $props()
  const KEYS: [string, [string, string][]][] = [
    [
      'Anywhere',
      [
        ['/', 'find'],
        ['?', 'these keys'],
        ['Escape', 'close what is open'],
        ['Tab', 'the next control, in the order of reading'],
      ],
    ],
    ['Reading a scorecard', [['← →', 'the period before, the next one']]],
    [
      'Presenting',
      [
        ['← → Space', 'the section before, the next one'],
        ['C', 'turn by the clock, or stop it'],
        ['Escape', 'back to the page'],
      ],
    ],
    [
      'On the bench',
      [
        ['Ctrl Z', 'undo'],
        ['Ctrl Shift Z', 'redo'],
        ['arrows on the two lines of a sheet', 'move it'],
        ['Shift and arrows', 'size it'],
        ['Alt ↑ ↓', 'to the section before or after'],
        ['Delete', 'take it off; undo brings it back'],
        ['Space on the two lines', 'choose several'],
        ['Ctrl C, Ctrl V', 'copy sheets, also to another scorecard'],
      ],
    ],
    ['On a yardstick', [['← → on a cut', 'move it by one step']]],
  ]
</script>

<SidePanel title="Keys" {close}>
  {#each KEYS as [where, keys] (where)}
    <h2 class="minor">{where}</h2>
    <dl>
      {#each keys as [key, does] (key)}
        <dt><kbd>{key}</kbd></dt>
        <dd>{does}</dd>
      {/each}
    </dl>
  {/each}
</SidePanel>

<style>
  h2 {
    margin-top: 14px;
  }
  dl {
    display: grid;
    grid-template-columns: minmax(96px, auto) 1fr;
    gap: 4px 14px;
    margin-top: 4px;
  }
  kbd {
    font: inherit;
    font-weight: 640;
  }
</style>
