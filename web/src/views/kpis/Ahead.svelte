<script lang="ts">
  /** Where the period under way is going, whether its target is fair, and how the usual range was made. */
  import type { Schemas } from '../../api/client'
  import { colour, on } from '../../api/states.svelte'

  let { found }: { found: Schemas['SignalsPicture'] } = $props()
  let all = $state(false) // the figures behind the range
</script>

<div class="right-side">
  {#if found.going}
    <section class="sheet">
      <h2>Where {found.going.label} is going</h2>
      {#if found.going.shown}
        <p class="big">{found.going.shown}</p>
        <p class="small soft">likely {found.going.range}, on {found.going.day}</p>
        {#if found.going.chances.length}
          <p class="part">
            <b
              >{found.going.chances
                .map((one, i) => `${one.name} in ${one.of_ten}${i ? '' : ' of 10'}`)
                .join(', ')}</b
            >
          </p>
        {/if}
        <p class="small soft">
          Of {found.going.tried} earlier periods read on the same day of theirs, {found.going.held} ended inside
          such a range.
        </p>
      {:else}<p class="small soft">
          On {found.going.day}; too few earlier periods to tell a range.
        </p>{/if}
      {#if found.going.takes}
        <p class="part"><b>{found.going.takes}</b></p>
        <p class="small soft">{found.going.such}</p>
      {/if}
    </section>
  {/if}
  {#if found.fair}
    <section class="sheet">
      <h2>
        {found.fair.mark ? `Is ${found.fair.mark} a fair target?` : 'How often each state comes by chance'}
      </h2>
      <p>
        Nothing changed, this KPI would be
        {#if found.fair.met}<b>{found.fair.met}</b>,{/if} by its usual variation alone.
      </p>
      <div class="strip" role="list" aria-label="How often each state comes by chance">
        {#each found.fair.parts as part (part.state)}
          <span
            role="listitem"
            style:flex-grow={part.share}
            style:background={colour(part.state)}
            style:color={on(part.state)}
            title="{part.name} {part.shown}"
            >{#if part.share > 0.18}{part.name} {part.shown}{:else}<span class="sr-only"
                >{part.name} {part.shown}</span
              >{/if}</span
          >
        {/each}
      </div>
      {#each found.fair.said as line (line)}<p class="small soft">{line}</p>{/each}
    </section>
  {/if}
  {#if found.method}
    <section class="sheet">
      <p class="small soft">
        {found.method}.
        <button class="link" aria-expanded={all} onclick={() => (all = !all)}
          >{all ? 'without the figures' : 'workings'}</button
        >
      </p>
      {#if all}
        <dl>
          {#each found.figures as one (one.name)}<dt class="small soft">{one.name}</dt>
            <dd>{one.shown}</dd>{/each}
        </dl>
      {/if}
    </section>
  {/if}
</div>

<style>
  .right-side {
    display: grid;
    gap: 12px;
  }
  .sheet {
    padding: 12px 14px;
  }
  h2 {
    margin: 0 0 6px;
    font-size: 15px;
  }
  .big {
    font-size: 28px;
    font-weight: 700;
    margin: 2px 0 0;
  }
  .part {
    margin: 8px 0 0;
    padding-top: 8px;
    border-top: 1px solid var(--rule);
  }
  .strip {
    display: flex;
    gap: 2px;
    margin: 10px 0;
    height: 26px;
  }
  .strip > span {
    overflow: hidden;
    white-space: nowrap;
    font-size: 12px;
    font-weight: 650;
    line-height: 26px;
    padding-left: 8px;
  }
  dl {
    margin: 4px 0 0;
  }
  dd {
    margin: 0 0 6px;
    font-variant-numeric: tabular-nums;
  }
</style>
