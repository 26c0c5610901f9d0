<script lang="ts">
  import type { ScaleKind } from '$core/chart';
  import Switch from '../Switch.svelte';

  let { scale = $bindable() }: { scale: ScaleKind } = $props();
</script>

<Switch
  label="Scale of the chart"
  bind:value={scale}
  choices={[
    ['legible', 'Legible'],
    ['true', 'True scale'],
  ]}
/>
