import { fileURLToPath } from 'node:url';
import { dorlin } from 'dorlin/vite';
import { mergeConfig } from 'vite';
import observatory from '../observatory/vite.config.ts';

const here = (path) => fileURLToPath(new URL(path, import.meta.url));

// Where a site is built by a machine of somebody else's, `.dorlin/recall.json` lies in the repository: every password
// in it is encrypted under the secret, and that is kept where such machines keep secrets.
// This one is for the demo, whose passwords are known to everybody anyway.
process.env.DORLIN_SECRET ??= 'the-secret-of-a-demo-that-all-its-readers-know';

export default mergeConfig(observatory, {
  build: { outDir: here('dist') },
  plugins: [
    dorlin({
      policy: here('dorlin.yaml'),
      // As its visitors meet it; left out, `vite preview` shows the unsealed site behind the guard.
      preview: process.env.PREVIEW === 'guarded' ? 'guarded' : 'sealed',
    }),
  ],
});
