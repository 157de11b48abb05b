import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { createHash } from 'node:crypto';
import { defineConfig, type Plugin } from 'vite';

/** Writes into the worker which files there are: their names change with what is in them. */
const keeps = (): Plugin => ({
  name: 'kavrel-keeps',
  generateBundle: {
    order: 'post',
    handler(_, bundle) {
      const worker = bundle['sw.js'];
      if (worker?.type !== 'chunk') return;
      // A worker of one file: with an import it would be a module, and browsers would not take it.
      if (worker.imports.length) this.error(`sw.js shares ${worker.imports.join()} with the page`);
      const names = Object.keys(bundle).filter((n) => n !== 'sw.js' && !n.endsWith('.map'));
      const all = createHash('sha256').update(names.join()).digest('hex').slice(0, 16);
      const entries = names
        .filter((n) => n.startsWith('assets/'))
        .map((url) => ({ url, revision: null as string | null }));
      entries.push({ url: 'index.html', revision: all }, { url: 'icon.svg', revision: all });
      worker.code = worker.code.replace('self.__WB_MANIFEST', JSON.stringify(entries));
    },
  },
});

export default defineConfig({
  // Found from the page's base, which the server names: it may serve all under a path.
  base: './',
  plugins: [react(), tailwindcss(), keeps()],
  build: {
    chunkSizeWarningLimit: 1000,
    assetsInlineLimit: 0,
    rollupOptions: {
      input: { index: 'index.html', sw: 'src/sw.ts' },
      output: { entryFileNames: (chunk) => (chunk.name === 'sw' ? 'sw.js' : 'assets/[name]-[hash].js') },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8321' } },
  // One document for all files of a worker: making one takes longer than most of them; each cleans up.
  test: { environment: 'jsdom', include: ['src/**/*.test.{ts,tsx}'], isolate: false, setupFiles: 'src/unit-tests.ts' },
} as Parameters<typeof defineConfig>[0]);
