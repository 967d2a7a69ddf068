import { readdirSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

const root = fileURLToPath(new URL('.site', import.meta.url));

export default defineConfig({
  root,
  appType: 'mpa',
  publicDir: 'public',
  build: {
    outDir: '../dist',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    rolldownOptions: {
      input: readdirSync(root, { recursive: true, encoding: 'utf8' })
        .filter((name) => name.endsWith('.html'))
        .map((name) => `${root}/${name}`),
    },
  },
});
