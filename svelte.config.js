import adapter from '@sveltejs/adapter-node';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';

/** @type {import('@sveltejs/kit').Config} */
export default {
  preprocess: vitePreprocess(),
  compilerOptions: { runes: ({ filename }) => (filename.includes('node_modules') ? undefined : true) },
  kit: {
    adapter: adapter(),
    // Begun by the page itself (ui/sheet/keep.ts): where it can't be, that is no error.
    serviceWorker: { register: false },
    alias: { $contract: 'src/lib/contract', $core: 'src/lib/core', $ui: 'src/lib/ui' },
    // The API takes JSON alone and refuses every type that a foreign form could send (415), so the check of
    // origins that guards forms would only answer in its place.
    csrf: { trustedOrigins: ['*'] },
    // The page may load nothing from anywhere else: the product has no network beyond loopback.
    csp: {
      mode: 'auto',
      directives: {
        'default-src': ['self'],
        'img-src': ['self', 'data:'],
        'style-src': ['self', 'unsafe-inline'],
        'worker-src': ['self', 'blob:'],
        'frame-ancestors': ['none'],
        'base-uri': ['none'],
        'form-action': ['self'],
        'object-src': ['none'],
      },
    },
  },
};
