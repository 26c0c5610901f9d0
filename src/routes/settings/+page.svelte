<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { USUAL_YEARS } from '$core/forecast';
  import { formatSize } from '$core/units';
  import { DEFAULT_RATES, SHIPPED_KITS, SHIPPED_TOOLS, type Rates, type Tool } from '$core/tools';
  import { invalidateAll } from '$app/navigation';
  import Plus from '@lucide/svelte/icons/plus';
  import type { Media } from '$core/disk';
  import type { Workshop } from '$core/planning';
  import Refused from '$ui/Refused.svelte';
  import Measured from '$ui/settings/Measured.svelte';
  import SettingsPath from '$ui/settings/SettingsPath.svelte';
  import ToolColumn from '$ui/settings/ToolColumn.svelte';
  import { MEDIA_NAME } from '$ui/words';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  // svelte-ignore state_referenced_locally
  let draft = $state.raw<Workshop>(data.workshop);
  const tools = $derived(draft.tools ?? []);
  const kits = $derived(draft.kits ?? []);
  const rates = $derived(draft.rates ?? DEFAULT_RATES);
  const changed = $derived(JSON.stringify(draft) !== JSON.stringify(data.workshop));
  const MEDIA = Object.keys(MEDIA_NAME) as Media[];

  let refusal = $state<Refusal | null>(null);
  let said = $state('');
  const problemOf = (path: string): string | undefined =>
    refusal?.fields.find((field) => field.path === path)?.message;

  /** An id from a name that no other has. */
  function idFrom(name: string, taken: readonly string[]): string {
    const base =
      name
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '')
        .slice(0, 40) || 'own';
    let id = base;
    for (let n = 2; taken.includes(id); n++) id = `${base}-${n}`;
    return id;
  }
  const takenIds = $derived([...SHIPPED_TOOLS, ...SHIPPED_KITS, ...tools, ...kits].map((one) => one.id));
  function addTool(): void {
    const name = `Our mover${tools.length > 0 ? ` ${tools.length + 1}` : ''}`;
    const like = SHIPPED_TOOLS[2]!;
    draft = { ...draft, tools: [...tools, { ...like, id: idFrom(name, takenIds), name, notes: '' }] };
  }
  const setTool = (index: number, tool: Tool): void => {
    draft = { ...draft, tools: tools.map((one, i) => (i === index ? tool : one)) };
  };
  function removeTool(index: number): void {
    const { id } = tools[index]!;
    draft = {
      ...draft,
      tools: tools.filter((_, i) => i !== index),
      kits: kits
        .map((kit) => ({ ...kit, tools: kit.tools.filter((one) => one !== id) }))
        .filter((kit) => kit.tools.length > 0),
    };
  }
  function addKit(): void {
    const name = `Our kit${kits.length > 0 ? ` ${kits.length + 1}` : ''}`;
    const mover = tools[0]?.id ?? 'live-mover';
    draft = { ...draft, kits: [...kits, { id: idFrom(name, takenIds), name, tools: ['windows', mover] }] };
  }
  const setKit = (index: number, more: Partial<(typeof kits)[number]>): void => {
    draft = { ...draft, kits: kits.map((kit, i) => (i === index ? { ...kit, ...more } : kit)) };
  };
  function setRate(media: Media, end: 'low' | 'high', value: number): void {
    if (!(value > 0)) return;
    const range = { ...rates.copying[media], [end]: value };
    const sorted = { low: Math.min(range.low, range.high), high: Math.max(range.low, range.high) };
    draft = { ...draft, rates: { ...rates, copying: { ...rates.copying, [media]: sorted } } };
  }
  /** Taken over from what was measured; counted once the settings are saved. */
  function useMeasured(media: Media, low: number, high: number): void {
    draft = { ...draft, rates: { ...rates, copying: { ...rates.copying, [media]: { low, high } } } };
    said = 'Taken over. It counts once the settings are saved.';
  }
  function setSeconds(what: 'step' | 'restart', end: 'low' | 'high', value: number): void {
    if (!(value >= 0)) return;
    const range = { ...rates[what], [end]: Math.round(value) };
    const sorted = { low: Math.min(range.low, range.high), high: Math.max(range.low, range.high) };
    draft = { ...draft, rates: { ...rates, [what]: sorted } satisfies Rates };
  }

  function setYears(value: number): void {
    if (value >= 0.5 && value <= 10) draft = { ...draft, years: value };
  }

  async function save(version = data.version): Promise<void> {
    said = '';
    const reply = await call('PUT /workshop', { body: { version, workshop: draft } });
    refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    await invalidateAll();
    said = 'Saved. Routes planned with what changed are marked stale.';
  }
</script>

<svelte:head><title>Tools, kits and rates · Gentle Tide</title></svelte:head>

<main class="page">
  <SettingsPath />
  <div class="page-top">
    <div>
      <h1>Tools, kits and rates</h1>
      <p class="soft">
        What the tools of this workshop can do, which of them are at hand together, and how fast drives copy
        here.
      </p>
    </div>
    <button class="btn action" disabled={!changed} onclick={() => save()}>Save the settings</button>
  </div>
  {#if refusal}<Refused {refusal} onoverwrite={(version) => save(version)} />{/if}
  <p role="status" class="soft">{said}</p>

  {#each data.unshown as sentence, i (i)}
    <p class="error" role="alert">{sentence} Saving the settings replaces it.</p>
  {/each}
  <section aria-label="Tools">
    <h2>Tools</h2>
    <ul class="tools">
      {#each SHIPPED_TOOLS as tool (tool.id)}<ToolColumn {tool} />{/each}
      {#each tools as tool, i (tool.id)}
        <ToolColumn
          {tool}
          ontool={(next) => setTool(i, next)}
          onremove={() => removeTool(i)}
          problem={problemOf(`/workshop/tools/${i}/name`)}
        />
      {/each}
    </ul>
    <button type="button" class="btn quiet" onclick={addTool}><Plus size={18} />A tool of our own</button>
  </section>

  <section aria-label="Kits">
    <h2>Kits <span class="soft">Windows is in every kit</span></h2>
    <table>
      <tbody>
        {#each SHIPPED_KITS as kit (kit.id)}
          <tr
            ><th scope="row">{kit.name}</th><td>{kit.tools.map((tool) => tool.name).join(', ')}</td><td
            ></td></tr
          >
        {/each}
        {#each kits as kit, i (kit.id)}
          <tr>
            <th scope="row"
              ><input
                class="input"
                aria-label="Name of the kit"
                value={kit.name}
                maxlength="60"
                onchange={(event) => setKit(i, { name: event.currentTarget.value })}
              /></th
            >
            <td class="choices">
              {#each [...SHIPPED_TOOLS.slice(1), ...tools] as tool, i (i)}
                <label
                  ><input
                    type="checkbox"
                    checked={kit.tools.includes(tool.id)}
                    onchange={() =>
                      setKit(i, {
                        tools: kit.tools.includes(tool.id)
                          ? kit.tools.filter((one) => one !== tool.id)
                          : [...kit.tools, tool.id],
                      })}
                  />{tool.name}</label
                >
              {/each}
            </td>
            <td
              ><button
                type="button"
                class="btn btn-sm quiet"
                onclick={() => (draft = { ...draft, kits: kits.filter((_, k) => k !== i) })}
                >Take it away</button
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    <button type="button" class="btn quiet" onclick={addKit}><Plus size={18} />A kit of our own</button>
  </section>

  <section aria-label="Rates">
    <h2>Rates <span class="soft">sustained, within one disk; every estimate is computed with these</span></h2>
    <table>
      <thead><tr><td></td><th scope="col">slow</th><th scope="col">fast</th><td></td></tr></thead>
      <tbody>
        {#each MEDIA as media (media)}
          <tr>
            <th scope="row">{MEDIA_NAME[media]}</th>
            {#each ['low', 'high'] as const as end (end)}
              <td
                ><input
                  class="input figure rate"
                  type="number"
                  min="1"
                  aria-label="{MEDIA_NAME[media]}, {end === 'low' ? 'slow' : 'fast'}, MiB/s"
                  value={rates.copying[media][end]}
                  onchange={(event) => setRate(media, end, event.currentTarget.valueAsNumber)}
                /></td
              >
            {/each}
            <td class="soft">MiB/s</td>
          </tr>
        {/each}
        {#each [['step', 'Each step, of a person’s time'], ['restart', 'Each restart']] as const as [what, says] (what)}
          <tr>
            <th scope="row">{says}</th>
            {#each ['low', 'high'] as const as end (end)}
              <td
                ><input
                  class="input figure rate"
                  type="number"
                  min="0"
                  aria-label="{says}, {end === 'low' ? 'least' : 'most'}, seconds"
                  value={rates[what][end]}
                  onchange={(event) => setSeconds(what, end, event.currentTarget.valueAsNumber)}
                /></td
              >
            {/each}
            <td class="soft">seconds</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if draft.rates}
      <button type="button" class="btn quiet" onclick={() => (draft = { ...draft, rates: undefined })}
        >Back to the defaults</button
      >
    {/if}
  </section>
  <section aria-label="How long it should last">
    <h2>
      How long it should last <span class="soft"
        >the size that the Target screen proposes is enough for that</span
      >
    </h2>
    <label class="years">
      <input
        class="input figure rate"
        type="number"
        min="0.5"
        max="10"
        step="0.5"
        value={draft.years ?? USUAL_YEARS}
        onchange={(event) => setYears(event.currentTarget.valueAsNumber)}
      />
      years
    </label>
  </section>
  <Measured runs={data.runs} measured={data.measured} {rates} onuse={useMeasured} />
  <section aria-label="Stand-ins">
    <h2>Stand-ins <span class="soft">disks that rehearsals are run on</span></h2>
    <p>
      {data.standIns.rehearsals === 0
        ? 'None takes any room now.'
        : `${data.standIns.rehearsals === 1 ? 'One takes' : `${data.standIns.rehearsals} take`} ${formatSize(data.standIns.bytes)}.`}
      Together they may take {formatSize(data.standIns.most)}, in {data.standIns.folder}. They go when a
      rehearsal ends, with its job, or when nobody has gone on with one for seven days.
    </p>
  </section>
</main>

<style>
  .years {
    display: flex;
    align-items: center;
    gap: 0.5rem;
  }
  .tools {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(16rem, 1fr));
    gap: 1rem;
    margin-bottom: 0.75rem;
  }
  table {
    border-collapse: collapse;
    margin-bottom: 0.75rem;
  }
  th,
  td {
    padding: 0.3125rem 1.25rem 0.3125rem 0;
    text-align: left;
    font-weight: 400;
    border-top: 1px solid var(--line);
  }
  thead td,
  thead th {
    border: 0;
    color: var(--ink-soft);
  }
  tbody th {
    font-weight: 600;
  }
  .choices label {
    margin-right: 1rem;
  }
  .input {
    padding: 0.25rem 0.5rem;
  }
  .rate {
    width: 6.5rem;
  }
</style>
