<script lang="ts">
  import { drawWater } from '$core/chart';
  import { formatShare } from '$core/units';

  /** A small basin that shows how full a target is. */
  let { size, used, name }: { size: number; used: number | null; name: string } = $props();
  const box = { x: 1, y: 1, width: 62, height: 42 };
  const water = $derived(used === null ? '' : drawWater(box, used / size));
  const clip = $props.id();
</script>

<svg
  width="64"
  height="44"
  role="img"
  aria-label={used === null ? `${name}: fill level not known` : `${name} is ${formatShare(used, size)} full`}
>
  <clipPath id={clip}><rect {...box} rx="6" /></clipPath>
  <g clip-path="url(#{clip})">
    <rect {...box} fill="var(--windows-bed)" />
    <path d={water} fill="var(--windows-water)" />
  </g>
  <rect {...box} rx="6" fill="none" stroke="var(--windows-line)" stroke-width="1.5" />
</svg>
