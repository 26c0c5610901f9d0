<script lang="ts">
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>Trust this workshop · Gentle Tide</title></svelte:head>

<main class="page narrow">
  <h1>Trust this workshop’s server</h1>
  {#if data.root}
    <p>
      This server encrypts what is sent with a certificate that the workshop’s own authority vouches for.
      Install its root on this device once; the browser then opens the server without a warning.
    </p>
    <p>
      <a class="btn action" href="/trust/root.crt" download data-sveltekit-reload
        >Fetch the root certificate</a
      >
    </p>
    <p>
      <b>Before you install it</b>, compare its SHA-256 with the one on a screen that is signed in (Settings,
      Server):
    </p>
    <p class="figure print">{data.root.fingerprint}</p>
    <ul>
      <li>
        <b>iPad, iPhone:</b> open the file, install the profile in Settings, then switch it on under General, About,
        Certificate Trust Settings.
      </li>
      <li>
        <b>Android:</b> Settings, Security, Encryption and credentials, Install a certificate, CA certificate.
      </li>
      <li><b>Windows:</b> open the file, Install Certificate, Trusted Root Certification Authorities.</li>
      <li><b>Chrome on Linux, Firefox:</b> in the browser’s settings, Certificates, Authorities, Import.</li>
    </ul>
    <p>Then open <a class="on" href={data.origin} data-sveltekit-reload>{data.origin}</a>.</p>
    <p class="soft">
      The root can vouch for names and addresses of a local network only. It is good until
      {data.root.until.toISOString().slice(0, 10)}.
    </p>
  {:else}
    <p>
      There is nothing to install here: this server has no authority of its own. <a class="on" href="/"
        >Go to the jobs</a
      >
    </p>
  {/if}
</main>

<style>
  .print {
    overflow-wrap: anywhere;
    font-weight: 600;
    padding: 0.75rem;
    background: var(--card);
    border: 1px solid var(--line-strong);
    border-radius: 0.5rem;
  }
  ul {
    display: grid;
    gap: 0.5rem;
  }
  .on {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
</style>
