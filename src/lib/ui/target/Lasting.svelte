<script lang="ts">
  import { fullRange, type Proposals } from '$core/forecast';
  import { formatSize, GIB } from '$core/units';
  import { inYears, formatMonthRange, formatMonth } from './dates';

  interface Props {
    name: string;
    proposals: Proposals;
    /** Milliseconds since 1970: when the survey was taken. */
    at: number;
    /** Bytes: in use once what goes first is gone, the size now, and the one that is asked for. */
    used: number;
    now: number;
    asked: number | null;
    years: number;
    nameOf: (partition: number) => string;
    ontake: (size: number) => void;
    onfair: (fair: NonNullable<Proposals['fair']>) => void;
  }
  let { name, proposals, at, used, now, asked, years, nameOf, ontake, onfair }: Props = $props();

  const growth = $derived(proposals.growth);
  const grows = $derived(growth.middle > 0);
  const rate = (bytes: number): string => `${(bytes / GIB).toFixed(1)} GiB`;
  const afterwards = $derived(asked === null || asked <= now ? null : fullRange(used, asked, at, growth));
  const givers = $derived(
    proposals.fair
      ? new Intl.ListFormat('en').format(Object.keys(proposals.fair.gives).map((one) => nameOf(Number(one))))
      : '',
  );
  const BY = {
    surveys: (n: number) => `a line through its ${n} surveys`,
    two: () => 'two surveys only, so no range can be told',
    ages: () => 'roughly, by the ages of its files: there is no earlier survey',
  };
</script>

<section aria-label="How long it lasts">
  <h2>How long {name} lasts</h2>
  <div class="says">
    <p>
      {#if grows}
        {name} fills by <b>{rate(growth.middle)} a year</b>{growth.by === 'two'
          ? ''
          : ` (${rate(growth.low)} to ${rate(growth.high)})`}: {BY[growth.by](growth.surveys)}.
      {:else}
        {name} does not fill: {BY[growth.by](growth.surveys)}.
      {/if}
    </p>
    <dl>
      <dt>As it is</dt>
      <dd>full {formatMonthRange(proposals.asItIs, at)}</dd>
      {#if afterwards}
        <dt>With {formatSize(asked!)}</dt>
        <dd>full {formatMonthRange(afterwards, at)}</dd>
      {/if}
    </dl>
    <ul>
      <li>
        <span
          >Enough for {inYears(years)}: <b class="figure">{formatSize(proposals.enough.size)}</b>
          <span class="soft"
            >{proposals.enough.short
              ? 'the most there is; it would take more'
              : `${formatSize(used)} used, what comes, 20 GiB for the yearly upgrade`}</span
          ></span
        >
        <button
          type="button"
          class="btn btn-sm quiet"
          disabled={proposals.enough.size <= now}
          onclick={() => ontake(proposals.enough.size)}
          aria-label="Take {formatSize(proposals.enough.size)}, enough for {inYears(years)}">Take it</button
        >
      </li>
      {#if proposals.fair}
        {@const fair = proposals.fair}
        <li>
          <span
            >Fair share: <b class="figure">{formatSize(fair.size)}</b>
            <span class="soft"
              >then {name} and {givers} last equally long{fair.full === null
                ? ''
                : `, until ${formatMonth(fair.full)}`}</span
            ></span
          >
          <button
            type="button"
            class="btn btn-sm quiet"
            onclick={() => onfair(fair)}
            aria-label="Take {formatSize(fair.size)}, the fair share">Take it</button
          >
        </li>
      {/if}
    </ul>
  </div>
</section>

<style>
  .says {
    display: grid;
    gap: 0.75rem;
  }
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: 0.25rem 1rem;
  }
  dt {
    font-weight: 600;
  }
  ul {
    border-bottom: 1px solid var(--line);
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 1rem;
    align-items: center;
    padding: 0.5rem 0;
    border-top: 1px solid var(--line);
  }
  li .soft {
    display: block;
    font-size: 0.875rem;
  }
</style>
