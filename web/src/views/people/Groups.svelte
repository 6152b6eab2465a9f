<script lang="ts">
  /** What the groups of the directory mean here. */
  import { api, attempt, got, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'
  import { ROLES, roleName, type Role } from './roles'

  let { teams }: { teams: Schemas['TeamOut'][] } = $props()
  let rows = $state.raw<Schemas['GroupRow'][]>([])
  let tag = ''
  let name = $state('')
  let failed = $state('')

  async function load() {
    const answer = await api.GET('/api/groups')
    rows = answer.data?.rows ?? []
    tag = answer.response.headers.get('etag') ?? ''
  }
  void load()
  const put = (next: Schemas['GroupRow'][]) =>
    attempt(
      async () => {
        await got(api.PUT('/api/groups', { params: { header: { 'if-match': tag } }, body: { rows: next } }))
        await load()
      },
      (words) => (failed = words),
    )
  const change = (at: number, slots: Partial<Schemas['GroupRow']>) =>
    put(rows.map((row, n) => (n === at ? { ...row, ...slots } : row)))
  const words = (keys: string[]) =>
    teams
      .filter((team) => keys.includes(team.id))
      .map((team) => team.name)
      .join(', ') || 'no team'
</script>

<section class="sheet">
  <h2>Groups of the directory</h2>
  <p class="small soft">
    Whoever comes by the directory has the role of the most powerful of their groups; without any, nobody
    comes in.
  </p>
  {#if failed}<p class="wrong" role="alert">{failed}</p>{/if}
  {#each rows as row, at (row.group)}
    <p class="sentence">
      <b>{row.group}</b> comes as
      <Slot text={row.role ? roleName(row.role) : 'nobody by itself'} label="Role of {row.group}">
        {#snippet children(close)}
          <Choices
            choices={[{ key: '', name: 'nobody by itself' }, ...ROLES]}
            chosen={row.role ?? ''}
            choose={(key) => {
              void change(at, { role: (key || null) as Role | null })
              close()
            }}
          />
        {/snippet}
      </Slot>, in
      <Slot text={words(row.teams ?? [])} label="Teams of {row.group}">
        {#snippet children()}
          <Choices
            choices={teams.map((team) => ({ key: team.id, name: team.name }))}
            many={row.teams ?? []}
            choose={(key) => void change(at, { teams: toggled(row.teams ?? [], key) })}
          />
        {/snippet}
      </Slot>.
      <button class="act quiet" onclick={() => put(rows.filter((_, n) => n !== at))}>Take out</button>
    </p>
  {/each}
  <form
    onsubmit={(event) => {
      event.preventDefault()
      void put([...rows, { group: name.trim(), role: 'reader', teams: [] }])
      name = ''
    }}
  >
    <input
      class="type-in"
      aria-label="A group, as the directory calls it"
      placeholder="A group"
      maxlength="120"
      bind:value={name}
    />
    <button class="act" disabled={!name.trim() || rows.some((row) => row.group === name.trim())}
      >Add it</button
    >
  </form>
</section>

<style>
  section {
    padding: 12px 14px 14px;
  }
  form {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
</style>
