<script lang="ts">
  interface Props {
    label: string;
    value: string;
    maxlength?: number;
    placeholder?: string;
    ongive: (text: string) => void;
  }
  let { label, value, maxlength = 200, placeholder = '', ongive }: Props = $props();
</script>

<label>
  <span>{label}</span>
  <input
    class="input"
    {value}
    {maxlength}
    {placeholder}
    autocomplete="off"
    spellcheck="false"
    onchange={(event) => ongive(event.currentTarget.value.trim())}
  />
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
    padding: 0.1875rem 0.4375rem;
    font-size: 0.8125rem;
    border-radius: 0.375rem;
  }
</style>
