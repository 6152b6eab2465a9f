<script lang="ts">
  /** Words with the figures of readings among them: headings, paragraphs, lists. */
  import type { Schemas } from '../api/client'
  import { word } from '../api/states.svelte'
  import Sign from './Sign.svelte'

  /** named: what a broken figure is called while the words are being written; elsewhere it is a dash. */
  let { blocks, named = false }: { blocks: Schemas['BlockPicture'][]; named?: boolean } = $props()
</script>

{#snippet spans(every: Schemas['SpanPicture'][])}
  {#each every as span, at (at)}
    {#if span.problem}<span class="gone" title={span.problem}>{named ? span.text : '–'}</span>
    {:else if span.figure}<b
        class="live"
        style:color={span.state ? word(span.state) : undefined}
        title={span.spoken}
        >{#if span.state}<Sign state={span.state} size={14} />{/if}{span.text}</b
      >
    {:else if span.href}<a class="link" class:bold={span.bold} href={span.href} rel="noreferrer"
        >{span.text}</a
      >
    {:else if span.bold || span.italic}<span class:bold={span.bold} class:italic={span.italic}
        >{span.text}</span
      >
    {:else}{span.text}{/if}
  {/each}
{/snippet}

{#each blocks as block, at (at)}
  {#if block.kind === 'heading'}<h3 class="level-{Math.min(block.level, 3)}">
      {@render spans(block.spans)}
    </h3>
  {:else if block.kind === 'paragraph'}<p>{@render spans(block.spans)}</p>
  {:else}<p class="item" style:--deep={block.level}>
      <span class="bullet">{block.kind === 'numbered' ? `${block.number}.` : '–'}</span>
      <span>{@render spans(block.spans)}</span>
    </p>{/if}
{/each}

<style>
  p,
  h3 {
    margin-bottom: 6px;
    white-space: pre-line;
    overflow-wrap: anywhere;
    line-height: 1.45;
  }
  .level-1 {
    font-size: 19px;
  }
  .level-2 {
    font-size: 16px;
  }
  .item {
    display: grid;
    grid-template-columns: 20px 1fr;
    margin-bottom: 3px;
    padding-left: calc((var(--deep) - 1) * 18px);
  }
  .bold {
    font-weight: 650;
  }
  .italic {
    font-style: italic;
  }
  .live :global(.sign) {
    margin-right: 3px;
  }
  .live {
    white-space: nowrap;
    font-weight: 650;
  }
  .gone {
    color: var(--soft);
    text-decoration: underline wavy;
  }
</style>
