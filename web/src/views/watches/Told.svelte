<script lang="ts">
  /** Whom a watch tells, and by which ways. */
  import { may } from '../../api/me.svelte'
  import Choices from '../../parts/Choices.svelte'
  import Slot from '../../parts/Slot.svelte'
  import { toggled } from '../../parts/toggled'
  import type { Body, Draft } from './draft.svelte'

  interface Props {
    draft: Draft
    change: (edit: Partial<Body>) => void
  }
  let { draft, change }: Props = $props()
  const body = $derived(draft.body)
  const choices = $derived(draft.choices)
  const tell = $derived(body.tell ?? [])
  const who = $derived.by(() => {
    const names = tell.map(
      (key) => choices?.tell.find((one) => one.key === key)?.name ?? 'somebody who is gone',
    )
    const mails = body.mails?.length ?? 0
    if (mails) names.push(mails === 1 ? body.mails![0]! : `${mails} addresses`)
    return names.length > 2
      ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more`
      : names.join(' and ')
  })
  const ways = $derived.by(() => {
    const found = tell.length ? ['in the inbox'] : []
    const forms = body.asks === 'edition' ? (body.forms ?? []).map((one) => one.toUpperCase()).join(', ') : ''
    if (body.by_mail || body.mails?.length) found.push(forms ? `by mail with ${forms}` : 'by mail')
    const hooks = (body.hooks ?? []).map(
      (key) => choices?.hooks.find((one) => one.key === key)?.name ?? 'a webhook',
    )
    const every = [...found, ...hooks.map((name) => `by ${name}`)]
    return every.length > 1 ? `${every.slice(0, -1).join(', ')} and ${every.at(-1)}` : every.join('')
  })
  let address = $state('')
</script>

<Slot text={who || 'nobody'} label="Who is told" width={290}>
  {#snippet children()}
    <Choices
      choices={(choices?.tell ?? []).map((one) => ({ key: one.key, name: one.name }))}
      many={tell}
      choose={(key) => change({ tell: toggled(tell, key) })}
    />
    {#if !choices?.alone}
      {#each body.mails ?? [] as mail (mail)}
        <p class="one">
          {mail}
          <button
            class="act quiet"
            onclick={() => change({ mails: body.mails?.filter((one) => one !== mail) })}>Take out</button
          >
        </p>
      {/each}
      <form
        class="one"
        onsubmit={(event) => {
          event.preventDefault()
          if (!/^[^@\s]+@[^@\s]+$/.test(address.trim())) return
          change({ mails: [...new Set([...(body.mails ?? []), address.trim()])] })
          address = ''
        }}
      >
        <input
          class="type-in"
          type="email"
          aria-label="A mail address"
          placeholder="a mail address"
          bind:value={address}
        />
        <button class="act" disabled={!address.trim()}>Add</button>
      </form>
    {/if}
    <p class="small soft">Each is told of what they may read, by their own rows.</p>
  {/snippet}
</Slot>
<Slot text={ways || 'nowhere'} label="How it is told" width={290}>
  {#snippet children()}
    <Choices
      choices={[
        { key: 'mail', name: 'by mail as well', note: choices?.by_mail ? '' : 'no mail server is named yet' },
        ...(choices?.hooks ?? []).map((one) => ({ key: `h:${one.key}`, name: one.name, note: 'a webhook' })),
      ]}
      many={[...(body.by_mail ? ['mail'] : []), ...(body.hooks ?? []).map((key) => `h:${key}`)]}
      choose={(key) =>
        key === 'mail'
          ? change({ by_mail: !body.by_mail })
          : change({ hooks: toggled(body.hooks ?? [], key.slice(2)) })}
    />
    {#if body.asks === 'edition' && (body.by_mail || body.mails?.length)}
      <p class="small soft">Files that go along</p>
      <Choices
        choices={['pdf', 'png', 'xlsx', 'pptx', 'html'].map((key) => ({ key, name: key.toUpperCase() }))}
        many={body.forms ?? []}
        choose={(key) => change({ forms: toggled(body.forms ?? [], key as 'pdf') })}
      />
    {/if}
    {#if may('own')}<p class="small">
        <a class="link" href="#/watches/sending">The mail server and webhooks</a>
      </p>{/if}
  {/snippet}
</Slot>

<style>
  .one {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 8px;
    padding: 3px 4px;
  }
</style>
