<script lang="ts" generics="T extends string">
  import { SegmentedControl } from '@skeletonlabs/skeleton-svelte';

  /** One of a few, each a word or two. */
  interface Props {
    label: string;
    value: T;
    choices: readonly (readonly [T, string])[];
  }
  let { label, value = $bindable(), choices }: Props = $props();
</script>

<SegmentedControl {value} onValueChange={(next) => (value = next.value as T)}>
  <SegmentedControl.Label class="visually-hidden">{label}</SegmentedControl.Label>
  <SegmentedControl.Control>
    <SegmentedControl.Indicator />
    {#each choices as [id, text] (id)}
      <SegmentedControl.Item value={id}
        ><SegmentedControl.ItemText>{text}</SegmentedControl.ItemText><SegmentedControl.ItemHiddenInput
        /></SegmentedControl.Item
      >
    {/each}
  </SegmentedControl.Control>
</SegmentedControl>
