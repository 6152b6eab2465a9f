<script lang="ts">
  /** Books: several editions that leave as one, with a cover, contents and one numbering. */
  import { api, attempt, got, seen, type Schemas } from '../../api/client'
  import Delete from '../../parts/Delete.svelte'
  import type { Edition } from './told'

  type Held = Schemas['Book']
  let books = $state.raw<Held[] | null>(null)
  let editions = $state.raw<Edition[]>([])
  let failed = $state('')
  let draft = $state<Schemas['BookBody'] | null>(null)
  const PAPERS = { a4: 'A4 across', 'a4-upright': 'A4 upright', a3: 'A3 across', letter: 'Letter across' }
  let paper = $state<keyof typeof PAPERS>('a4')

  const act = (work: () => Promise<unknown>) =>
    attempt(
      async () => {
        await work()
        const [held, found] = await Promise.all([got(api.GET('/api/books')), got(api.GET('/api/editions'))])
        books = held
        editions = found
      },
      (said) => (failed = said),
    )
  void act(async () => undefined)
  const called = (key: string) => {
    const one = editions.find((edition) => edition.id === key)
    return one ? `${one.title}, ${one.period_label}, edition ${one.number}` : 'an edition that is gone'
  }
  const keep = () =>
    act(async () => {
      await got(api.POST('/api/books', { body: draft! }))
      draft = null
    })
  const remove = (book: Held) =>
    act(() =>
      got(api.DELETE('/api/books/{key}', { params: { path: { key: book.id }, header: seen(book.version) } })),
    )
  function toggle(key: string) {
    if (!draft) return
    draft.editions = draft.editions.includes(key)
      ? draft.editions.filter((one) => one !== key)
      : [...draft.editions, key]
  }
  const address = (book: Held, kind: string) =>
    `/api/books/${book.id}/export/${kind}${kind === 'pdf' ? `?paper=${paper}` : ''}`
</script>

<main class="page">
  <div class="top">
    <div>
      <h1>Books</h1>
      <p class="sentence">
        Several editions as one: a cover, contents, one numbering, and each page of its own period.
      </p>
    </div>
    <a class="act" href="#/editions">All editions</a>
    {#if editions.length && !draft}<button
        class="act main"
        onclick={() => (draft = { title: '', note: '', editions: [] })}>New book</button
      >{/if}
  </div>
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#if draft}
    <form
      class="sheet"
      onsubmit={(event) => {
        event.preventDefault()
        void keep()
      }}
    >
      <label>Title <input class="type-in" required maxlength="120" bind:value={draft.title} /></label>
      <label>Note on its cover <textarea class="type-in" rows="2" bind:value={draft.note}></textarea></label>
      <fieldset>
        <legend>Editions, in the order they are chosen</legend>
        {#each editions as edition (edition.id)}
          <label class="check"
            ><input
              type="checkbox"
              checked={draft.editions.includes(edition.id)}
              onchange={() => toggle(edition.id)}
            />
            <span class="place"
              >{draft.editions.includes(edition.id) ? draft.editions.indexOf(edition.id) + 1 : ''}</span
            >
            {called(edition.id)} <span class="small soft">{edition.state}</span></label
          >
        {/each}
      </fieldset>
      <p class="acts">
        <button class="act main" disabled={!draft.editions.length}>Keep it</button>
        <button type="button" class="act quiet" onclick={() => (draft = null)}>Cancel</button>
      </p>
    </form>
  {/if}
  {#each books ?? [] as book (book.id)}
    <section class="sheet">
      <h2>{book.body.title}</h2>
      {#if book.body.note}<p class="small soft">{book.body.note}</p>{/if}
      <ol>
        {#each book.body.editions as key (key)}<li>
            <a class="link" href="#/editions/{key}">{called(key)}</a>
          </li>{/each}
      </ol>
      <p class="acts">
        <a class="act" href={address(book, 'pdf')} download>Save as PDF</a>
        <select class="type-in" aria-label="Paper" bind:value={paper}>
          {#each Object.entries(PAPERS) as [key, name] (key)}<option value={key}>{name}</option>{/each}
        </select>
        <a class="act" href={address(book, 'pptx')} download>Save as slides</a>
        <a class="act" href={address(book, 'html')} download>Save as one file for the browser</a>
        <Delete name={book.body.title} quiet remove={() => remove(book)} />
      </p>
    </section>
  {/each}
  {#if books && !books.length && !draft}
    <p class="sentence">
      There is no book yet.
      {#if !editions.length}Make an edition of a <a class="link" href="#/scorecards">scorecard</a> first.{/if}
    </p>
  {/if}
</main>

<style>
  section,
  form {
    padding: 12px 16px;
    margin-bottom: 12px;
  }
  form {
    display: grid;
    gap: 10px;
    max-width: 720px;
  }
  fieldset {
    display: grid;
    gap: 4px;
    max-height: 320px;
    overflow: hidden auto;
  }
  .check {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .place {
    width: 18px;
    text-align: right;
    font-weight: 650;
  }
  ol {
    margin: 6px 0 10px;
    padding-left: 22px;
    list-style: decimal;
  }
  ol .link {
    display: inline-block;
    line-height: 25px;
  }
  .acts select {
    width: auto;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
  }
</style>
