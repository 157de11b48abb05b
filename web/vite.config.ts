import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { chunkSizeWarningLimit: 1000, assetsInlineLimit: 0 },
  server: { proxy: { '/api': 'http://127.0.0.1:8321' } },
  test: { environment: 'jsdom', include: ['src/**/*.test.{ts,tsx}'] },
} as Parameters<typeof defineConfig>[0]);
