<script lang="ts">
  import { drawWater, type Basin } from '$core/chart';
  import { paintOf } from './roles';

  interface Props {
    basin: Basin;
    y: number;
    height: number;
    /** Id of the drawing's patterns. */
    patterns: string;
    /** Drawn with a heavier line: selected, or the target. */
    heavy?: boolean;
    faded?: boolean;
  }
  let { basin, y, height, patterns, heavy = false, faded = false }: Props = $props();

  const radius = $derived(Math.min(6, basin.width / 3));
  const paint = $derived(basin.partition && paintOf(basin.partition));
  const hatched = $derived(paint === 'recovery' || paint === 'boot' || paint === 'reserved');
  const clip = $derived(`${patterns}-clip-${basin.key}-${Math.round(y)}`);
  const water = $derived(
    basin.level === null ? '' : drawWater({ x: basin.x, y, width: basin.width, height }, basin.level),
  );
</script>

<g opacity={faded ? 0.35 : 1}>
  {#if paint}
    <clipPath id={clip}><rect x={basin.x} {y} width={basin.width} {height} rx={radius} /></clipPath>
    <g clip-path="url(#{clip})">
      <rect x={basin.x} {y} width={basin.width} {height} fill="var(--{paint}-bed)" />
      {#if water}<path d={water} fill="var(--{paint}-water)" />{/if}
      {#if hatched}<rect x={basin.x} {y} width={basin.width} {height} fill="url(#{patterns}-{paint})" />{/if}
    </g>
    <rect
      x={basin.x}
      {y}
      width={basin.width}
      {height}
      rx={radius}
      fill="none"
      stroke="var(--{paint}-line)"
      stroke-width={heavy ? 3 : 1.5}
    />
  {:else}
    <rect
      x={basin.x}
      {y}
      width={basin.width}
      {height}
      rx={radius}
      fill="url(#{patterns}-dry)"
      stroke="var(--dry-line)"
      stroke-width={heavy ? 2.5 : 1.2}
      stroke-dasharray="4 3"
    />
  {/if}
</g>
