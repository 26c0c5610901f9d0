<script lang="ts">
  import { finishInWorker } from '$lib/workers/plan';
  import Room from '$ui/drawing/Room.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const PATIENCE = { milliseconds: 9000, nodes: 5000 };
</script>

<!-- Another drawing is another room: nothing of the former one stays. -->
{#key data.drawing.id}
  <Room
    {data}
    finisher={(request, drawing, upTo, onprogress, signal) =>
      finishInWorker(request, drawing, upTo, PATIENCE, ({ share }) => onprogress(share), signal)}
  />
{/key}
