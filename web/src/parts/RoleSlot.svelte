<script lang="ts">
  /** What a column is for: a slot with the roles its type allows. */
  import type { Dataset, Schemas } from '../api/client'
  import Choices from './Choices.svelte'
  import Slot from './Slot.svelte'

  type Role = Schemas['ColumnChange']['role']
  interface Props {
    column: Dataset['columns'][number]
    choose: (role: Role) => void
  }
  let { column, choose }: Props = $props()
  const ROLES: Record<Role, string> = {
    period: 'the day a row belongs to',
    segment: 'splits rows into members',
    measure: 'numbers to add up',
    flag: 'yes or no, for conditions',
    text: 'not used to split',
  }
  const needs = (role: string) =>
    `needs ${role === 'period' ? 'dates' : role === 'measure' ? 'numbers' : 'yes/no'}`
</script>

<Slot text={column.role} label="Role of {column.label}" width={230}>
  {#snippet children(close)}
    <Choices
      choices={Object.entries(ROLES).map(([key, note]) => {
        const fits = column.roles.includes(key as Role)
        return { key, name: key, note: fits ? note : needs(key), off: !fits }
      })}
      chosen={column.role}
      choose={(to) => {
        choose(to as Role)
        close()
      }}
    />
  {/snippet}
</Slot>
