<script lang="ts">
  /** Where rows are read from by the clock: an address, a folder, or a live source. */
  import { api, got, type Dataset } from '../../api/client'
  import type { Change } from './clock'

  interface Props {
    body: Change
    has_token?: boolean
    change: (body: Change) => void
  }
  let { body, has_token = false, change }: Props = $props()
  let hosts = $state<string[]>([])
  let folders = $state<string[]>([])
  let sources = $state<Dataset[]>([])
  let known = $state(false)
  void Promise.all([
    got(api.GET('/api/datasets/hosts')),
    got(api.GET('/api/datasets/folders')),
    got(api.GET('/api/datasets')),
  ]).then(
    ([asked, found, every]) => {
      hosts = asked.hosts
      folders = found.folders
      sources = every.filter((one) => one.kind === 'live')
      known = true
    },
    () => (known = true),
  )
  const origin = $derived(body.origin)
  const from = (next: Change['origin']) => change({ ...body, origin: next })
  function kind(which: Change['origin']['kind']) {
    if (which === 'address') from({ kind: 'address', url: '' })
    else if (which === 'folder') from({ kind: 'folder', folder: folders[0] ?? '' })
    else from({ kind: 'source', dataset: sources[0]?.id ?? '' })
  }
</script>

<div class="fields">
  <label
    >From <select
      class="type-in"
      value={origin.kind}
      onchange={(event) => kind(event.currentTarget.value as Change['origin']['kind'])}
    >
      <option value="address">a file at an address</option>
      <option value="folder">the files of a folder</option>
      <option value="source">a live source, as a picture of that moment</option>
    </select></label
  >
  {#if origin.kind === 'address'}
    <label
      >Address <input
        class="type-in"
        type="url"
        required
        maxlength="2000"
        placeholder="https://{hosts[0] ?? 'rows.example'}/sailings.csv"
        value={origin.url}
        oninput={(event) => from({ ...origin, url: event.currentTarget.value.trim() })}
      /></label
    >
    <label
      >Token, where it asks for one <input
        class="type-in"
        type="text"
        spellcheck="false"
        maxlength="400"
        autocomplete="off"
        placeholder={has_token ? 'as before' : ''}
        value={body.token ?? ''}
        oninput={(event) => change({ ...body, token: event.currentTarget.value || null })}
      /></label
    >
  {:else if origin.kind === 'folder'}
    <label
      >Folder <select
        class="type-in"
        value={origin.folder}
        onchange={(event) => from({ kind: 'folder', folder: event.currentTarget.value })}
      >
        {#each folders as one (one)}<option value={one}>{one === '.' ? 'the folder itself' : one}</option
          >{/each}
      </select></label
    >
  {:else}
    <label
      >Live source <select
        class="type-in"
        value={origin.dataset}
        onchange={(event) => from({ kind: 'source', dataset: event.currentTarget.value })}
      >
        {#each sources as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      </select></label
    >
  {/if}
</div>
{#if known && origin.kind === 'address' && !hosts.length}
  <p class="note">
    No address may be asked yet. Whoever runs the server names the hosts: <code
      >./run --fetch-from rows.example</code
    >
  </p>
{:else if known && origin.kind === 'address'}
  <p class="small soft">Hosts that may be asked: {hosts.join(', ')}. The token is sent to no other one.</p>
{:else if known && origin.kind === 'folder' && !folders.length}
  <p class="note">There is no folder that may be read: <code>./run --folder /srv/rows</code></p>
{:else if known && origin.kind === 'source' && !sources.length}
  <p class="note">
    There is no live source yet. <a class="link" href="#/data/new/live">Connect one first.</a>
  </p>
{/if}

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
    gap: 8px 14px;
    width: 100%;
  }
</style>
