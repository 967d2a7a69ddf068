import { join } from 'node:path';
import { createServer, preview, type InlineConfig, type Plugin } from 'vite';
import { dorlin } from '../../../src/vite.js';
import type { Front, Ground } from '../front.js';
import { siteFiles } from '../site.js';
import { writeFiles } from '../../support/sites.js';
import { site } from './node.js';

/** Behind what Vite serves itself, its pages and what is not there are an application's. */
const behind: Plugin = {
  name: 'site',
  configureServer:
    ({ middlewares }) =>
    () =>
      void middlewares.use(site),
  configurePreviewServer:
    ({ middlewares }) =>
    () =>
      void middlewares.use(site),
};

/** A project whose pages lie in its root, and what is no page in its public folder. */
async function projectOf({ folder, policyFile }: Ground): Promise<InlineConfig> {
  const root = join(folder, 'vite');
  const files = Object.entries(siteFiles).map(([name, text]) => [
    name.endsWith('.html') ? name : `/public${name}`,
    text,
  ]);
  await writeFiles(root, Object.fromEntries(files) as Record<string, string>);
  return configOf(root, policyFile);
}

const configOf = (root: string, policyFile: string): InlineConfig => ({
  root,
  configFile: false,
  logLevel: 'silent',
  appType: 'custom',
  server: { port: 0, host: '127.0.0.1', allowedHosts: true, watch: null },
  preview: { port: 0, host: '127.0.0.1', allowedHosts: true },

  plugins: [dorlin({ policy: policyFile, seal: false }), behind],
});

const portOf = (urls: { readonly local: readonly string[] } | null) => Number(new URL(urls?.local[0] ?? '').port);

export const viteFronts: readonly Front[] = [
  {
    name: 'vite dev',
    start: async (ground) => {
      const server = await (await createServer(await projectOf(ground))).listen();
      return { port: portOf(server.resolvedUrls), close: () => server.close() };
    },
  },
  {
    name: 'vite preview',
    start: async (ground) => {
      const built = { ...configOf(ground.folder, ground.policyFile), build: { outDir: 'site' } };
      const server = await preview(built);
      return { port: portOf(server.resolvedUrls), close: () => server.close() };
    },
  },
];
