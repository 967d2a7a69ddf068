import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: {
    target: 'es2022',
    // Nothing is put into the page or its style, so that both may be forbidden it.
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
  },
});
