<script lang="ts">
  /** A field for a formula: words of the language in colour, the place of an error underlined. */
  import { tick } from 'svelte'
  import type { Schemas } from '../api/client'
  import { beside } from './beside'
  import { folded, has } from './folded'

  interface Props {
    text: string
    columns: string[]
    /** Members by column, offered within quotes behind that column. */
    members: Record<string, string[]>
    handles: { handle: string; name: string }[]
    functions: [string, string][]
    problem: Schemas['FormulaProblem'] | null
    type: (text: string) => void
  }
  let { text, columns, members, handles, functions, problem, type }: Props = $props()
  let field = $state<HTMLTextAreaElement | null>(null)
  let caret = $state(0)
  let open = $state(false)
  let marked = $state(0)
  const known = $derived(new Set(columns))
  const PART = /("[^"\n]*"?|@[\p{L}\p{M}\p{N}_]+|[\p{L}_][\p{L}\p{M}\p{N}_]*|\d[\d_.]*%?|\s+|.)/gu
  const WORDS =
    /^(sum|mean|count|min|max|distinct|median|stdev|abs|round|least|greatest|if|prior|year_ago|to_date|rolling|share|where|and|or|not|in|is|blank|filled|yes|no|weekday|month|days|steps|starts|with)$/i

  const pieces = $derived.by(() => {
    let at = 0
    return (text.match(PART) ?? []).map((piece) => {
      const start = at
      at += piece.length
      const kind = known.has(piece)
        ? 'column'
        : WORDS.test(piece)
          ? 'word'
          : piece.startsWith('"')
            ? 'text'
            : piece.startsWith('@')
              ? 'word'
              : ''
      const bad = !!problem && start < problem.end && at > problem.start
      return { piece, kind, bad, start }
    })
  })

  /** The bracket beside the cursor and the one it belongs to; texts in quotes have none. */
  const pair = $derived.by(() => {
    const stack: number[] = []
    const partner: Record<number, number> = {}
    for (const part of pieces) {
      if (part.piece === '(') stack.push(part.start)
      if (part.piece === ')' && stack.length) {
        const start = stack.pop()!
        partner[start] = part.start
        partner[part.start] = start
      }
    }
    const at = [caret - 1, caret].find((place) => place in partner)
    return at === undefined ? [] : [at, partner[at]!]
  })

  interface Offer {
    put: string
    name: string
    note: string
  }
  /** What is being typed at the cursor, and what it may become. */
  const typed = $derived.by(() => {
    const before = text.slice(0, caret)
    const quoted = /([\p{L}_][\p{L}\p{M}\p{N}_]*)\s*(?:=|!=|in\s*\([^()]*)\s*"([^"\n]*)$/u.exec(before)
    if (quoted && before.split('"').length % 2 === 0)
      return { start: caret - quoted[2]!.length, word: quoted[2]!, column: quoted[1]! }
    if (before.split('"').length % 2 === 0) return null
    const word = /(@?[\p{L}\p{M}\p{N}_]*)$/u.exec(before)![1]!
    return { start: caret - word.length, word, column: '' }
  })
  const offers = $derived.by((): Offer[] => {
    if (!open || !typed) return []
    const word = folded(typed.word)
    const fits = (name: string) => has(name, word.replace('@', ''))
    if (typed.column)
      return (members[typed.column] ?? [])
        .filter(fits)
        .slice(0, 9)
        .map((name) => ({ put: `${name}"`, name, note: `a member of ${typed.column}` }))
    if (!word) return []
    const kpis = handles
      .filter(({ handle, name }) => word.startsWith('@') && (fits(handle) || fits(name)))
      .map(({ handle, name }) => ({ put: `@${handle}`, name: `@${handle}`, note: name }))
    if (word.startsWith('@')) return kpis.slice(0, 9)
    const found = [
      ...columns.filter(fits).map((name) => ({ put: name, name, note: 'a column' })),
      ...functions
        .filter(([name]) => fits(name))
        .map(([name, note]) => ({ put: name === 'where' ? 'where ' : `${name}()`, name, note })),
    ]
    const starts = (offer: Offer) => folded(offer.name).startsWith(word)
    return found
      .filter((offer) => offer.name !== typed.word)
      .sort((a, b) => Number(starts(b)) - Number(starts(a)))
      .slice(0, 9)
  })
  $effect(() => {
    void offers.length
    marked = 0
  })
  function take(offer: Offer) {
    if (!typed) return
    // A quote that stands behind the cursor already is not written twice.
    const rest = text.slice(caret)
    const put = offer.put.endsWith('"') && rest.startsWith('"') ? offer.put.slice(0, -1) : offer.put
    const start = typed.start
    type(text.slice(0, start) + put + rest)
    place(start + put.length - (put.endsWith('()') ? 1 : 0))
    open = false
  }
  function keys(event: KeyboardEvent) {
    if (!offers.length) {
      if (event.key === ' ' && event.ctrlKey) {
        event.preventDefault()
        open = true
      }
      return
    }
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
    if (step) {
      event.preventDefault()
      marked = (marked + step + offers.length) % offers.length
    } else if (event.key === 'Tab' || event.key === 'Enter') {
      event.preventDefault()
      take(offers[marked]!)
    }
  }
  function place(at: number) {
    // Before the next key, so that what is typed at once comes behind it.
    void tick().then(() => {
      field?.focus()
      field?.setSelectionRange(at, at)
      caret = at
    })
  }

  /** Put a column or function where the cursor is. */
  export function insert(what: string) {
    if (!field) return
    const { selectionStart: start, selectionEnd: end } = field
    type(text.slice(0, start) + what + text.slice(end))
    place(start + what.length - (what.endsWith('()') ? 1 : 0))
  }
</script>

<div class="formula" class:bad={problem}>
  <pre aria-hidden="true">{#each pieces as part (part.start)}<span
        class={part.kind}
        class:bad={part.bad}
        class:pair={pair.includes(part.start)}>{part.piece}</span
      >{/each}{'\n'}</pre>
  <textarea
    bind:this={field}
    aria-label="Formula"
    aria-invalid={!!problem}
    spellcheck="false"
    autocomplete="off"
    rows={Math.max(2, text.split('\n').length)}
    value={text}
    aria-controls={offers.length ? 'formula-offers' : undefined}
    aria-autocomplete="list"
    aria-activedescendant={offers.length ? `formula-offer-${marked}` : undefined}
    onkeydown={keys}
    onselectionchange={(event) => (caret = event.currentTarget.selectionStart)}
    onblur={() => (open = false)}
    oninput={(event) => {
      caret = event.currentTarget.selectionStart
      open = true
      type(event.currentTarget.value)
    }}></textarea>
  {#if offers.length}
    <ul
      id="formula-offers"
      class="sheet"
      role="listbox"
      aria-label="What it may become"
      {@attach beside(
        () => field,
        () => (open = false),
      )}
    >
      {#each offers as offer, i (offer.put)}
        <!-- svelte-ignore a11y_click_events_have_key_events -->
        <li
          id="formula-offer-{i}"
          role="option"
          aria-selected={i === marked}
          onmousedown={(event) => event.preventDefault()}
          onclick={() => take(offer)}
        >
          <code>{offer.name}</code><span class="soft small">{offer.note}</span>
        </li>
      {/each}
    </ul>
  {/if}
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
  span.pair {
    background: var(--accent-tint);
    outline: 1px solid var(--accent);
  }
  ul {
    position: fixed;
    margin: 0;
    overflow: auto;
    box-shadow: var(--lift);
    padding: 4px;
    color: var(--ink);
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 14px;
    padding: 3px 8px;
    cursor: pointer;
  }
  li code {
    background: none;
    padding: 0;
  }
  li[aria-selected='true'],
  li:hover {
    background: var(--accent-tint);
  }
  span.bad {
    text-decoration: underline wavy var(--short) 1.5px;
    text-underline-offset: 4px;
    background: var(--short-tint);
  }
</style>
