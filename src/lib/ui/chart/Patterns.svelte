<script lang="ts">
  import type { Paint } from './roles';

  /** Ids are per drawing, so that several drawings on a page do not take each other's patterns. */
  let { id }: { id: string } = $props();
  const lines: { paint: Paint; d: string; size: number }[] = [
    { paint: 'recovery', d: 'M3 0v6', size: 6 },
    { paint: 'boot', d: 'M0 3h6', size: 6 },
    { paint: 'reserved', d: 'M-2 2l4-4M0 8l8-8M6 10l4-4', size: 8 },
  ];
</script>

<defs>
  <pattern id="{id}-dry" width="8" height="8" patternUnits="userSpaceOnUse">
    <circle cx="2" cy="2" r="1" fill="var(--dry-dot)" />
    <circle cx="6" cy="6" r="1" fill="var(--dry-dot)" />
  </pattern>
  {#each lines as { paint, d, size } (paint)}
    <pattern id="{id}-{paint}" width={size} height={size} patternUnits="userSpaceOnUse">
      <path {d} stroke="var(--{paint}-line)" stroke-width="1" opacity="0.38" fill="none" />
    </pattern>
  {/each}
</defs>
