<script lang="ts">
  import { goto } from '$app/navigation';
  import { finishInWorker } from '$lib/workers/plan';
  import DrawingScreen from '$ui/drawing/DrawingScreen.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const PATIENCE = { milliseconds: 9000, nodes: 5000 };
</script>

<!-- Another drawing is another screen: nothing of the former one stays. -->
{#key data.drawing.id}
  <DrawingScreen
    {data}
    finisher={(request, drawing, upTo, onprogress, signal) =>
      finishInWorker(request, drawing, upTo, PATIENCE, ({ share }) => onprogress(share), signal)}
    go={(address) => goto(address, { invalidateAll: true })}
  />
{/key}
