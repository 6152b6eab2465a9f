<script lang="ts">
  /** What a new version of the product changed in what is kept; listed once, until it was read. */
  import { api, got, words, type Schemas } from '../api/client'

  let notices = $state<Schemas['NoticeOut'][] | null>(null)
  let failed = $state('')
  got(api.GET('/api/notices')).then(
    (found) => (notices = found),
    (error) => (failed = words(error)),
  )
  async function read(id: number) {
    try {
      await got(api.POST('/api/notices/{number}/read', { params: { path: { number: id } } }))
      notices = notices?.filter((notice) => notice.id !== id) ?? null
      if (!notices?.length) location.hash = '#/scorecards'
    } catch (error) {
      failed = words(error)
    }
  }
</script>

<main class="page">
  <h1>What was changed</h1>
  {#if failed}<p class="note gap" role="alert">{failed}</p>{/if}
  {#each notices ?? [] as notice (notice.id)}
    {#if notice.mended.length}
      <p class="sentence">
        What was left of something that is gone was cleared away. No figure on any page changes by it.
      </p>
    {/if}
    {#if notice.changes.length}
      <p class="sentence">
        A mark of a sum belongs to each member or to all together. These were for any member; this is whose
        they are now.
      </p>
    {/if}
    <section class="sheet pad">
      {#if notice.mended.length}
        <ul>
          {#each notice.mended as line (line)}<li>{line}</li>{/each}
        </ul>
      {/if}
      {#if notice.changes.length}<table class="plain">
          <thead
            ><tr><th>KPI</th><th>Mark</th><th>From</th><th class="right">Value</th><th>Whose</th></tr></thead
          >
          <tbody>
            {#each notice.changes as change, i (i)}
              <tr>
                <td
                  ><a class="link" href="#/marks/{change.kpi}?{new URLSearchParams({ mark: change.mark })}"
                    >{change.kpi_name}</a
                  ></td
                >
                <td>{change.mark}</td>
                <td>{change.since}</td>
                <td class="right">{change.shown}</td>
                <td>{change.became}</td>
              </tr>
            {/each}
          </tbody>
        </table>{/if}
      <p><button class="act main" onclick={() => read(notice.id)}>I have read this</button></p>
    </section>
  {:else}
    {#if notices}<p class="sentence">
        Nothing that is kept was changed by a new version. <a class="link" href="#/scorecards">Scorecards</a>
      </p>{/if}
  {/each}
</main>

<style>
  .pad {
    padding: 12px 14px;
    display: grid;
    gap: 12px;
    max-width: 900px;
  }
  .right {
    text-align: right;
  }
</style>
