<script lang="ts" generics="T extends string">
  interface Props {
    label: string;
    value: T;
    options: readonly (readonly [T, string])[];
    onchoose: (value: T) => void;
  }
  let { label, value, options, onchoose }: Props = $props();
</script>

<label>
  <span>{label}</span>
  <select class="input" {value} onchange={(event) => onchoose(event.currentTarget.value as T)}>
    {#each options as [id, name] (id)}<option value={id}>{name}</option>{/each}
  </select>
</label>

<style>
  label {
    display: grid;
    grid-template-columns: var(--name-width, 3.1rem) minmax(0, 1fr);
    align-items: center;
    gap: 0.375rem;
    font-size: 0.8125rem;
  }
  span {
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .input {
    padding: 0.1875rem 1.5rem 0.1875rem 0.4375rem;
    font-size: 0.8125rem;
    border-radius: 0.375rem;
    text-overflow: ellipsis;
  }
</style>
