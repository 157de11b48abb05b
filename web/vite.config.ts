import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { chunkSizeWarningLimit: 1000, assetsInlineLimit: 0 },
  server: { proxy: { '/api': 'http://127.0.0.1:8321' } },
  // One document for all files of a worker: making one takes longer than most of them; each cleans up.
  test: { environment: 'jsdom', include: ['src/**/*.test.{ts,tsx}'], isolate: false, setupFiles: 'src/unit-tests.ts' },
} as Parameters<typeof defineConfig>[0]);
