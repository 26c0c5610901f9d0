<script lang="ts">
  import { formatSize } from '$core/units';
  import SettingsPath from '$ui/settings/SettingsPath.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const ENCRYPTION = {
    none: 'It answers to this computer only, without encryption.',
    own: 'HTTPS, by a certificate of your own. It is read again when its file changes.',
    authority: 'HTTPS, by the workshop’s own authority. Its certificate is renewed by itself.',
    proxy: 'HTTPS, by the proxy in front of it.',
  } as const;
  const day = (at: Date): string => at.toISOString().slice(0, 10);
  const daysLeft = (until: Date): number => Math.floor((until.getTime() - Date.now()) / 86_400_000);
  const newest = $derived(data.backups.find(({ name }) => name.endsWith('.gtb')) ?? null);
</script>

<svelte:head><title>Server · Gentle Tide</title></svelte:head>

<main class="page middle">
  <SettingsPath />
  <h1>Server</h1>
  {#each data.unwell as problem, i (i)}
    <p class="unwell" role="alert">{problem}</p>
  {/each}
  <section aria-label="Address">
    <h2>Address</h2>
    <p class="large figure">{data.origin}</p>
    <p>{ENCRYPTION[data.encryption]}</p>
    {#if data.certificate}
      <p class="soft">
        For {data.certificate.names.join(', ')}; good until
        <span class="figure">{day(data.certificate.until)}</span>
        ({daysLeft(data.certificate.until)} days).
      </p>
    {/if}
  </section>
  {#if data.root}
    <section aria-label="Trust">
      <h2>Trust on tablets</h2>
      <div class="trust">
        <!-- eslint-disable-next-line svelte/no-at-html-tags -- drawn by our own server -->
        <div class="qr" role="img" aria-label="QR code of {data.root.address}">{@html data.root.qr}</div>
        <div class="says">
          <p>
            Scan it with a tablet, or open <a class="figure" href="/trust">{data.root.address}</a>, and
            install the workshop’s root. From then on its browser opens this server without a warning.
          </p>
          <p>Compare what the tablet shows (SHA-256):</p>
          <p class="figure print">{data.root.fingerprint}</p>
          <p class="soft">
            It can vouch for names and addresses of a local network only. Good until {day(data.root.until)}.
          </p>
        </div>
      </div>
    </section>
  {/if}
  <section aria-label="Backups">
    <h2>Backups</h2>
    {#if newest}
      <p>
        The newest is of <b class="figure">{newest.at.toISOString().slice(0, 16).replace('T', ' ')}</b> UTC ({formatSize(
          newest.bytes,
        )}).
      </p>
      <ul class="files">
        {#each data.backups.slice(0, 8) as file (file.name)}
          <li class="figure"><span>{file.name}</span><span class="soft">{formatSize(file.bytes)}</span></li>
        {/each}
      </ul>
    {:else}
      <p class="none">
        There is none yet in {data.data}/backups. <code>./backup FILE</code> makes one; the service makes one every
        night (docs/running.md).
      </p>
    {/if}
    <p class="soft">
      {#if data.free !== null}{formatSize(data.free)} are free where they lie.{/if}
    </p>
  </section>
  <section aria-label="Settings of the server">
    <details>
      <summary>All settings, as they are now</summary>
      <dl>
        {#each data.settings as one (one.name)}
          <dt class="figure">{one.name}</dt>
          <dd>
            <b class="figure">{one.set ?? one.initial ?? '–'}</b>
            {#if one.set === null}<span class="soft">(not set)</span>{/if}
            <span class="soft">{one.what}</span>
          </dd>
        {/each}
      </dl>
      <p class="soft">They are environment variables; docs/running.md says where to set them.</p>
    </details>
  </section>
</main>

<style>
  .large {
    font-size: 1.25rem;
    font-weight: 650;
  }
  .unwell {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--exposed);
    background: var(--card);
    border-radius: 0.375rem;
  }
  .trust {
    display: flex;
    flex-wrap: wrap;
    gap: 1.25rem;
  }
  .qr {
    width: 10rem;
    background: #ffffff;
    padding: 0.25rem;
    border-radius: 0.375rem;
  }
  .says {
    display: grid;
    gap: 0.5rem;
    flex: 1;
    min-width: 18rem;
    align-content: start;
  }
  .print {
    overflow-wrap: anywhere;
    font-weight: 600;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .files li {
    display: flex;
    gap: 1.5rem;
    font-size: 0.875rem;
  }
  .none {
    padding: 1rem;
    border: 1.5px dashed var(--dry-line);
    border-radius: 0.75rem;
  }
  section {
    padding-top: 0.75rem;
    border-top: 1px solid var(--line);
  }
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 0.375rem 1.25rem;
    padding: 0.75rem 0;
    font-size: 0.875rem;
  }
  dd {
    overflow-wrap: anywhere;
  }
</style>
