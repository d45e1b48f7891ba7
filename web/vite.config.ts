import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { appendFileSync, readFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { type Plugin } from 'vite';
import { defineConfig } from 'vitest/config';

const BUILT = '../src/jade_lantern/studio/built';
const NOTICES = 'third-party-notices.txt';

/** Vite notes what it bundles; the style sheets of these two are worked into ours before it looks. */
const stylesToo: Plugin = {
  name: 'notices-of-styles',
  closeBundle() {
    for (const file of ['tailwindcss/LICENSE', 'flowbite/LICENSE.md']) {
      const licence = readFileSync(`node_modules/${file}`, 'utf8');
      appendFileSync(`${BUILT}/${NOTICES}`, `\n## ${dirname(file)} (style sheets)\n\n${licence}`);
    }
  },
};

export default defineConfig({
  plugins: [tailwindcss(), svelte(), stylesToo],
  build: {
    outDir: BUILT,
    emptyOutDir: true,
    license: { fileName: NOTICES },
    chunkSizeWarningLimit: 1500,
  },
  // the first test of a file transforms all that it imports, beside other work on one processor
  test: { testTimeout: 60_000, hookTimeout: 60_000 },
  server: { proxy: { '/api': 'http://127.0.0.1:8000' } },
});
