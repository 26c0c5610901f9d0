<script lang="ts">
  import { drawWater } from '$core/chart';
  import { formatShare, formatSize } from '$core/units';

  interface Props {
    title: string;
    /** Bytes. */
    size: number;
    used: number | null;
    /** The size that stands for the full width, in bytes. */
    scale: number;
  }
  let { title, size, used, scale }: Props = $props();
  let room = $state(480);
  const box = $derived({
    x: 1,
    y: 1,
    width: Math.max(12, (room - 2) * Math.min(1, size / scale)),
    height: 76,
  });
  const clip = $props.id();
</script>

<div bind:clientWidth={room}>
  <p>
    <b>{title}</b> <span class="figure">{formatSize(size)}</span>
    {#if used !== null}<span class="soft"
        >· {formatSize(size - used)} free, {formatShare(size - used, size)}</span
      >{/if}
  </p>
  <svg width={room} height="78" aria-hidden="true">
    <clipPath id={clip}><rect {...box} rx="6" /></clipPath>
    <g clip-path="url(#{clip})">
      <rect {...box} fill="var(--windows-bed)" />
      {#if used !== null}<path d={drawWater(box, used / size)} fill="var(--windows-water)" />{/if}
    </g>
    <rect {...box} rx="6" fill="none" stroke="var(--windows-line)" stroke-width="1.5" />
  </svg>
</div>

<style>
  p {
    margin-bottom: 0.25rem;
  }
</style>
