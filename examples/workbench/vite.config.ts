import { defineConfig } from 'vite';

export default defineConfig({
  // It runs from any folder of any host.
  base: './',
  build: { target: 'es2022', assetsInlineLimit: 0, modulePreload: { polyfill: false } },
});
