<script lang="ts">
  /** How one reading came to its value, mark and state. */
  import type { Workings } from '../api/client'
  import Sign from './Sign.svelte'

  let { found, formula = true }: { found: Workings; formula?: boolean } = $props()
  /** Where one reading's signals are told: of all rows together, or of one member of one segment. */
  const signals = $derived.by(() => {
    const of = found.of
    const narrowed = Object.entries(of?.members ?? {})
    if (!of || narrowed.length > 1 || narrowed.some(([, names]) => names.length !== 1)) return ''
    const [segment = '', [member = ''] = []] = narrowed[0] ?? []
    const query = new URLSearchParams({ period: of.period, ...(member ? { segment, member } : {}) })
    return `#/kpis/${of.kpi}/signals?${query}`
  })
</script>

{#if formula}<p class="who"><b>{found.title}</b> <span class="soft">{found.subtitle}</span></p>{/if}
{#if formula}<pre>{found.formula}</pre>{/if}
{#if found.parts.length}
  <table class="plain">
    <tbody>
      {#each found.parts as part (part.source)}
        <tr><td class="code">{part.source}</td><td class="right"><b>{part.figure}</b></td></tr>
      {/each}
    </tbody>
  </table>
{/if}
<dl>
  {#each found.lines as line, i (i)}
    <dt>{line.label}</dt>
    <dd>
      {line.text}{#if line.state}&nbsp;<Sign state={line.state} />{/if}
    </dd>
  {/each}
</dl>
{#if signals}<p><a class="act" href={signals}>Is it a signal?</a></p>{/if}
{#if found.verdict}<p class="aside-note">{found.verdict}</p>{/if}
{#each found.missing as lacks (lacks.mark)}
  <p>
    <a
      class="act"
      href="#/marks/{lacks.kpi}?{new URLSearchParams({
        mark: lacks.mark,
        year: lacks.year,
        ...(lacks.by ? { by: lacks.by } : {}),
      })}">Set the {lacks.mark} in the mark book</a
    >
  </p>
{/each}

<style>
  .who {
    margin: 6px 0 8px;
  }
  pre {
    font-size: 12.5px;
    background: var(--paper);
    padding: 8px 10px;
    white-space: pre-wrap;
    border-radius: 3px;
    margin-bottom: 6px;
  }
  .code {
    font-family: ui-monospace, monospace;
    font-size: 12px;
  }
  .right {
    text-align: right;
    white-space: nowrap;
  }
  dl {
    margin: 10px 0;
  }
  dt {
    color: var(--soft);
    font-size: 12.5px;
    margin-top: 8px;
  }
  dd {
    font-weight: 620;
  }
</style>
