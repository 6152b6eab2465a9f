<script lang="ts">
  /** A field for a formula: words of the language in colour, the place of an error underlined. */
  import type { Schemas } from '../../api/client'

  interface Props {
    text: string
    columns: string[]
    problem: Schemas['FormulaProblem'] | null
    type: (text: string) => void
  }
  let { text, columns, problem, type }: Props = $props()
  let field = $state<HTMLTextAreaElement | null>(null)
  const known = $derived(new Set(columns))
  const PART = /("[^"\n]*"?|@[\w]+|[^\W\d][\w]*|\d[\d_.]*%?|\s+|.)/gu
  const WORDS =
    /^(sum|mean|count|min|max|distinct|median|stdev|abs|round|least|greatest|if|prior|year_ago|to_date|rolling|share|where|and|or|not|in|is|blank|filled|yes|no)$/i

  const pieces = $derived.by(() => {
    let at = 0
    return (text.match(PART) ?? []).map((piece) => {
      const start = at
      at += piece.length
      const kind = WORDS.test(piece)
        ? 'word'
        : known.has(piece)
          ? 'column'
          : piece.startsWith('"')
            ? 'text'
            : piece.startsWith('@')
              ? 'word'
              : ''
      const bad = !!problem && start < problem.end && at > problem.start
      return { piece, kind, bad, start }
    })
  })

  /** Put a column or function where the cursor is. */
  export function insert(what: string) {
    if (!field) return
    const { selectionStart: start, selectionEnd: end } = field
    type(text.slice(0, start) + what + text.slice(end))
    const place = start + what.length - (what.endsWith('()') ? 1 : 0)
    requestAnimationFrame(() => {
      field?.focus()
      field?.setSelectionRange(place, place)
    })
  }
</script>

<div class="formula" class:bad={problem}>
  <pre aria-hidden="true">{#each pieces as part (part.start)}<span class={part.kind} class:bad={part.bad}
        >{part.piece}</span
      >{/each}{'\n'}</pre>
  <textarea
    bind:this={field}
    aria-label="Formula"
    aria-invalid={!!problem}
    spellcheck="false"
    autocomplete="off"
    rows={Math.max(2, text.split('\n').length)}
    value={text}
    oninput={(event) => type(event.currentTarget.value)}></textarea>
</div>
{#if problem}<p class="wrong" role="alert">{problem.message}</p>{/if}

<style>
  .formula {
    position: relative;
    border: 1px solid var(--rule);
    border-radius: 4px;
    background: var(--sheet);
  }
  .formula:focus-within {
    outline: 2px solid var(--accent);
  }
  pre,
  textarea {
    margin: 0;
    padding: 10px 12px;
    width: 100%;
    font:
      14.5px/1.6 ui-monospace,
      'DejaVu Sans Mono',
      monospace;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    border: 0;
    min-height: 66px;
    tab-size: 2;
  }
  pre {
    pointer-events: none;
  }
  textarea {
    position: absolute;
    inset: 0;
    height: 100%;
    resize: none;
    background: transparent;
    color: transparent;
    caret-color: var(--ink);
    outline: none;
    box-shadow: none;
    overflow: hidden;
  }
  .word {
    color: var(--accent);
    font-weight: 700;
  }
  .column {
    color: var(--met-word);
  }
  .text {
    color: var(--near-word);
  }
  span.bad {
    text-decoration: underline wavy var(--short) 1.5px;
    text-underline-offset: 4px;
    background: var(--short-tint);
  }
</style>
