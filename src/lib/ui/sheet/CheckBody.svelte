<script lang="ts">
  import type { Check } from '$core/worksheet';
  import ScriptBox from './ScriptBox.svelte';
  import Values from './Values.svelte';

  let { check }: { check: Check } = $props();
</script>

{#each check.text as text, i (i)}<p>{text}</p>{/each}
<Values values={check.values} />
{#if check.script}<ScriptBox script={check.script} />{/if}
