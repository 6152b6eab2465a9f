<script lang="ts">
  /** Where the table of a live source is: tried first, then one of its tables chosen. */
  import { api, got, seen, words, type Dataset, type Schemas } from '../../api/client'

  interface Props {
    dataset?: Dataset
    done: (dataset: Dataset) => void
  }
  let { dataset, done }: Props = $props()
  type Place = Schemas['ConnectionOut']
  const PORTS: Record<Place['protocol'], number> = { mariadb: 3306, postgresql: 5432, clickhouse: 9000 }
  const usual = (at: Pick<Place, 'protocol' | 'tls'>) =>
    at.protocol === 'clickhouse' && at.tls !== 'off' ? 9440 : PORTS[at.protocol]
  /** Another kind of server or way there; the port goes along where it was the usual one. */
  function reached(change: Partial<Pick<Place, 'protocol' | 'tls'>>) {
    const before = usual(place)
    Object.assign(place, change)
    if (place.port === before) place.port = usual(place)
    found = null
  }
  const blank: Place = {
    protocol: 'mariadb',
    host: '',
    port: 3306,
    database: '',
    user: '',
    table: '',
    tls: 'off',
    seconds: 25,
  }
  // svelte-ignore state_referenced_locally
  let place = $state<Place>({ ...blank, ...dataset?.connection })
  // svelte-ignore state_referenced_locally
  let own = $state(!!dataset && !dataset.connection?.host)
  let password = $state('')
  let name = $state('')
  let found = $state<Schemas['Found'] | null>(null)
  let failed = $state('')
  let busy = $state(false)

  const body = (): Schemas['ConnectionBody'] => ({
    ...$state.snapshot(place),
    protocol: own ? 'mariadb' : place.protocol,
    host: own ? '' : place.host.trim(),
    password: password || (dataset ? null : ''),
  })
  async function look() {
    busy = true
    failed = ''
    found = null
    try {
      const query = { key: dataset?.id }
      found = await got(api.POST('/api/datasets/live/look', { params: { query }, body: body() }))
      if (!found.tables.includes(place.table)) place.table = found.tables[0] ?? ''
    } catch (error) {
      failed = words(error)
    } finally {
      busy = false
    }
  }
  async function keep() {
    busy = true
    try {
      const answer = dataset
        ? api.PUT('/api/datasets/{key}/connection', {
            params: { path: { key: dataset.id }, header: seen(dataset.version) },
            body: body(),
          })
        : api.POST('/api/datasets/live', { body: { ...body(), name: name.trim() || place.table } })
      done((await got(answer)) as Dataset)
      failed = ''
    } catch (error) {
      failed = words(error)
    } finally {
      busy = false
    }
  }
</script>

<form
  class="sheet pad"
  onsubmit={(event) => {
    event.preventDefault()
    if (found) keep()
    else look()
  }}
>
  <div class="fields">
    <label class="wide check"
      ><input type="checkbox" bind:checked={own} /> in the MariaDB that Iron Mark keeps its own records in</label
    >
    {#if !own}
      <label
        >It is a <select
          class="type-in"
          value={place.protocol}
          onchange={(event) => reached({ protocol: event.currentTarget.value as Place['protocol'] })}
        >
          <option value="mariadb">MariaDB or MySQL</option>
          <option value="postgresql">PostgreSQL</option>
          <option value="clickhouse">ClickHouse, one server or a cluster</option>
        </select></label
      >
      <label
        >The way there <select
          class="type-in"
          value={place.tls}
          onchange={(event) => reached({ tls: event.currentTarget.value as Place['tls'] })}
        >
          <option value="off">as the server likes it</option>
          <option value="on">always encrypted (TLS)</option>
          <option value="verified">encrypted, and its certificate checked</option>
        </select></label
      >
      <label
        >Server <input
          class="type-in"
          required
          bind:value={place.host}
          placeholder="db.example, or a socket’s path"
        /></label
      >
      <label
        >Port <input
          class="type-in"
          type="number"
          min="1"
          max="65535"
          required
          bind:value={place.port}
        /></label
      >
    {/if}
    <label>Database <input class="type-in" required maxlength="64" bind:value={place.database} /></label>
    <label
      >User <input
        class="type-in"
        required
        maxlength="128"
        autocomplete="off"
        bind:value={place.user}
      /></label
    >
    <label
      >Password <input
        class="type-in"
        type="password"
        maxlength="200"
        autocomplete="new-password"
        placeholder={dataset ? 'as before' : ''}
        bind:value={password}
      /></label
    >
    <label
      >Seconds to wait for an answer <input
        class="type-in"
        type="number"
        min="1"
        max="600"
        required
        bind:value={place.seconds}
      /></label
    >
    {#if !dataset}
      <label
        >Call it <input class="type-in" maxlength="120" bind:value={name} placeholder={place.table} /></label
      >
    {/if}
  </div>
  <p class="small soft">
    Use an account that may only read. The password stays on the server and is never shown again.
  </p>
  <button class="act" type="button" disabled={busy} onclick={look}>{busy ? 'Asking…' : 'Try it'}</button>
  {#if failed}<p class="note" role="alert">{failed}</p>{/if}
  {#if found}
    {#if found.may_write}<p class="note">
        This account may change data. One that may only read is enough, and safer.
      </p>{:else}<p class="small">The account may only read, as it should be.</p>{/if}
    {#if found.tables.length}
      <label class="table"
        >Table or view
        <select class="type-in" bind:value={place.table}>
          {#each found.tables as table (table)}<option>{table}</option>{/each}
        </select></label
      >
      <button class="act main" disabled={busy || !place.table}
        >{dataset ? 'Read it from there' : 'Connect it'}</button
      >
    {:else}<p class="note">The account sees no table in this database.</p>{/if}
  {/if}
</form>

<style>
  .pad {
    padding: 14px;
    display: grid;
    gap: 10px;
    justify-items: start;
    max-width: 720px;
  }
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px 14px;
    width: 100%;
  }
  .wide {
    grid-column: 1 / -1;
  }
  .check {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .table select {
    width: auto;
    margin-left: 6px;
  }
</style>
