<script lang="ts">
  /** The teams, and who is in them. */
  import { api, got, seen, type Schemas } from '../../api/client'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'

  interface Props {
    found: Schemas['PeopleOut']
    mine: boolean
    /** Does something and tells what was refused; everything is read again after it. */
    tried: (work: () => Promise<unknown>) => Promise<void>
  }
  let { found, mine, tried }: Props = $props()
  let team = $state('')
  const nameOf = (key: string) => found.people.find((one) => one.id === key)?.name ?? ''
  const makeTeam = () =>
    tried(async () => {
      await got(api.POST('/api/teams', { body: { name: team, people: [] } }))
      team = ''
    })
  const changeTeam = (one: Schemas['TeamOut'], people: string[]) =>
    tried(() =>
      got(
        api.PUT('/api/teams/{key}', {
          params: { path: { key: one.id }, header: seen(one.version) },
          body: { name: one.name, people },
        }),
      ),
    )
  const dropTeam = (one: Schemas['TeamOut']) =>
    tried(() =>
      got(api.DELETE('/api/teams/{key}', { params: { path: { key: one.id }, header: seen(one.version) } })),
    )
</script>

<section class="sheet">
  <h2>Teams</h2>
  {#each found.teams as one (one.id)}
    <div class="row team">
      <div>
        <b>{one.name}</b>
        <p class="small">
          {#if mine}<Slot
              text={one.people.map(nameOf).join(', ') || 'nobody yet'}
              label="Who is in {one.name}"
            >
              {#snippet children()}
                <Choices
                  choices={found.people.map((known) => ({ key: known.id, name: known.name }))}
                  many={one.people}
                  choose={(key) => void changeTeam(one, toggled(one.people, key))}
                />
              {/snippet}
            </Slot>{:else}<span class="soft">{one.people.map(nameOf).join(', ') || 'nobody yet'}</span>{/if}
        </p>
      </div>
      {#if mine}<button class="act quiet" onclick={() => dropTeam(one)}>Dissolve</button>{/if}
    </div>
  {:else}<p class="soft small none">
      No team yet. Opened to a team, something is read by whoever comes into it later too.
    </p>{/each}
  {#if mine}
    <form
      class="new"
      onsubmit={(event) => {
        event.preventDefault()
        void makeTeam()
      }}
    >
      <input
        class="type-in"
        aria-label="Name of a new team"
        placeholder="A new team"
        maxlength="120"
        bind:value={team}
      />
      <button class="act" disabled={!team.trim()}>Make it</button>
    </form>
  {/if}
</section>

<style>
  section {
    padding: 12px 14px 14px;
  }
  .row {
    display: grid;
    gap: 12px;
    align-items: center;
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
    overflow-wrap: anywhere;
  }
  .row.team {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .new {
    display: flex;
    gap: 8px;
    margin-top: 12px;
  }
  .none {
    padding: 8px 0;
  }
</style>
