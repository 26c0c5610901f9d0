<script lang="ts">
  import type { Basin } from '$core/chart';
  import { formatShare, formatSize } from '$core/units';
  import { shortenLabel } from './roles';

  /** The label on a basin, as much of it as the width allows; the full name is in the basin's own text. */
  let { basin, y, height }: { basin: Basin; y: number; height: number } = $props();

  const share = $derived(basin.used === null ? '' : ` · ${formatShare(basin.used, basin.size)}`);
  const second = $derived(`${formatSize(basin.size)}${basin.width >= 150 ? share : ''}`);
  const boxWidth = $derived(
    Math.min(basin.width - 10, Math.max(basin.name.length * 7.4, second.length * 7.6) + 14),
  );
</script>

<g class="basin-label">
  {#if !basin.partition}
    {#if basin.width >= 62}
      <text class="figure soft" x={basin.x + basin.width / 2} y={y + height / 2 + 4} text-anchor="middle">
        {formatSize(basin.size)}
      </text>
    {/if}
  {:else if basin.label === 'full'}
    <rect x={basin.x + 5} y={y + 7} width={boxWidth} height="36" rx="4" />
    <foreignObject x={basin.x + 5} y={y + 7} width={boxWidth} height="36">
      <div class="lines">
        <b>{basin.name}</b>
        <span class="figure">{second}</span>
      </div>
    </foreignObject>
  {:else if basin.label === 'short'}
    {@const text = shortenLabel(basin.partition)}
    {@const width = Math.min(basin.width - 4, text.length * 7 + 10)}
    <rect x={basin.x + (basin.width - width) / 2} y={y + height / 2 - 10} {width} height="20" rx="4" />
    <text class="short" x={basin.x + basin.width / 2} y={y + height / 2 + 4} text-anchor="middle">{text}</text
    >
  {/if}
</g>

<style>
  .basin-label {
    pointer-events: none;
  }
  rect {
    fill: var(--label-ground);
  }
  text {
    font-size: 12px;
    fill: var(--ink);
  }
  .short {
    font-size: 11px;
    font-weight: 650;
  }
  .soft {
    fill: var(--ink-soft);
    paint-order: stroke;
    stroke: var(--paper);
    stroke-width: 4px;
  }
  .lines {
    padding: 2px 6px;
    font-size: 12.5px;
    line-height: 16px;
    color: var(--ink);
    white-space: nowrap;
    overflow: hidden;
  }
  .lines b,
  .lines span {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .lines span {
    letter-spacing: -0.02em;
  }
</style>
