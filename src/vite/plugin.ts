import { existsSync } from 'node:fs';
import { mkdir, readdir, rename, rm, stat, writeFile } from 'node:fs/promises';
import { basename, isAbsolute, join, relative, resolve, sep } from 'node:path';
import type { Connect, Logger, Plugin, ResolvedConfig, Rolldown } from 'vite';
import * as z from 'zod';
import { guardMiddleware } from '../adapters/node.js';
import { sendAnswer } from '../adapters/send-answer.js';
import { DorlinError } from '../core/errors.js';
import { ownNames } from '../core/places/own-names.js';
import type { Policy } from '../core/policy/types.js';
import { nothingHere } from '../guard/answers/missing.js';
import { draftFile } from '../stores/draft-files.js';
import { isOwnFile } from '../stores/own-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { guardFromFile, type FileGuard, type FileGuardOptions } from '../stores/file-guard.js';
import { isLockedByItself, placeBeside } from './kept-in-place.js';
import { asksForOwn, judgedAddress, type Sources } from './sources.js';

/** What becomes of the built site. */
export interface SealOnBuild {
  /**
   * Where the site will lie on its host, for the page that asks at addresses where the host has none.
   * Vite’s own `base` stays `./`. @default '/'
   */
  readonly base?: string | undefined;
  /** Rounds of PBKDF2 for each try, 210,000 to 10,000,000. @default 600,000 */
  readonly rounds?: number | undefined;
  /** Seals for passwords that would not stand against somebody who takes the files home. @default false */
  readonly acceptWeak?: boolean | undefined;
  /** Looks through what was written for anything locked that stands there in the clear, and fails if there is. @default true */
  readonly check?: boolean | undefined;
}

/** What `dorlin()` is told. */
export interface DorlinOptions {
  /** The policy, seen from Vite’s root. @default 'dorlin.yaml' */
  readonly policy?: string | undefined;
  /**
   * Whether `vite build` seals the site for a host without any code: then `build.outDir` gets the sealed site,
   * and the unsealed one goes into another folder. `false` for a site that a guard will stand before.
   * @default true
   */
  readonly seal?: boolean | SealOnBuild | undefined;
  /**
   * Where the unsealed site is built to, seen from Vite’s root. It is not for any host; git is told to leave it
   * out. @default the folder of `build.outDir` with `-unsealed` at its end
   */
  readonly unsealed?: string | undefined;
  /**
   * What `vite preview` shows of a site that is sealed: the unsealed files behind the guard, or the sealed ones
   * as a plain host would serve them. @default 'guarded'
   */
  readonly preview?: 'guarded' | 'sealed' | undefined;
  /**
   * For the guard of `vite dev` and `vite preview`: who is signed in, for example. Letters are printed and not
   * sent, unless `sendLetter` is given.
   */
  readonly guard?: FileGuardOptions | undefined;
}

/**
 * The Vite plugin: the guard stands before `vite dev` and `vite preview`, and `vite build` seals the site.
 *
 * What is not yet built is the developer’s: modules and styles are served by `vite dev` to whoever reaches it.
 *
 * @throws DorlinError `call-wrong` for an option that there is not; in Vite’s hooks `vite-base`, `policy-missing`, `policy-invalid`, `seal-weak`, `seal-unfit`,
 * `seal-folder`, `seal-leaks`
 *
 * @example
 * // vite.config.js
 * import { dorlin } from 'dorlin/vite';
 * export default { base: './', plugins: [dorlin()] };
 */
export function dorlin(options: DorlinOptions = {}): Plugin {
  refuseUnknown(options);
  const { policy = 'dorlin.yaml', seal = true, preview = 'guarded' } = options;
  const isSealed = seal !== false;
  let [out, unsealed] = ['', ''];
  let config: ResolvedConfig;
  let building: Policy | undefined;
  const guards = new Set<FileGuard>();
  const policyFile = () => resolve(config.root, policy);

  /** A guard that prints what it has to say where Vite does, until its server ends. */
  const guardFor = async (logger: Logger, changed: () => void): Promise<FileGuard> => {
    const guard = await guardFromFile(policyFile(), {
      sendLetter: ({ to, subject, text }) => {
        logger.info(`\n  A letter, printed and not sent\n  To: ${to}\n  Subject: ${subject}\n\n${text}`);
        return Promise.resolve();
      },
      ...options.guard,
      onChange: (...news) => {
        logger.info(`The locks are those of the changed ${policy}.`, { timestamp: true });
        changed();
        // What is opened counts a little later.
        const [, , opensAfter] = news;
        if (opensAfter > 0) setTimeout(changed, opensAfter * 1000 + 100).unref();
        options.guard?.onChange?.(...news);
      },
      onBroken: (problems) => {
        logger.error(`The locks stay as they were: ${problems}`, { timestamp: true });
        options.guard?.onBroken?.(problems);
      },
    });
    guards.add(guard);
    const { size } = guard.policy().locks;
    logger.info(`  Dorlin: ${size} ${size === 1 ? 'lock' : 'locks'} of ${policy}`);
    return guard;
  };
  const end = async () => {
    const all = [...guards];
    guards.clear();
    await Promise.all(all.map((guard) => guard.close()));
  };

  return {
    name: 'dorlin',
    enforce: 'pre',
    config: {
      order: 'post',
      handler: (given, { command, isPreview = false }) => {
        const builds = command === 'build' && given.build?.ssr === undefined;
        out = given.build?.outDir ?? 'dist';
        unsealed = options.unsealed ?? `${out.replace(/[\\/]+$/, '')}-unsealed`;
        const isUnsealed = isSealed && (builds || (isPreview && preview === 'guarded'));
        // Vite empties a folder outside its root only when it is told to; this one is ours.
        return isUnsealed ? { build: { outDir: unsealed, ...(builds && { emptyOutDir: true }) } } : {};
      },
    },
    async configResolved(resolved) {
      config = resolved;
      if (!['/', './', ''].includes(config.base)) {
        throw new DorlinError('vite-base', `Vite’s base is ${config.base}.`);
      }
      // Names of what is built are asked for before anything is. And a server that cannot be guarded is not begun.
      const read = await loadPolicy(policyFile());
      if (config.command === 'build') building = read;
    },
    configureServer: {
      order: 'pre',
      handler: async (server) => {
        const { logger, root, publicDir } = server.config;
        const guard = await guardFor(logger, () => {
          server.ws.send({ type: 'full-reload' });
        });
        const isKept = (path: string) => isLockedByItself(guard.policy(), path, Date.now() / 1000);
        server.middlewares.use(notOwn({ root, publicDir }, policyFile(), guard.policy));
        server.middlewares.use(unlessSource(guardMiddleware(guard), { root, publicDir, isKept }));
        server.httpServer?.once('close', () => void end());
      },
    },
    configurePreviewServer: {
      order: 'pre',
      handler: async (server) => {
        const { root, publicDir, build } = server.config;
        if (!existsSync(resolve(root, build.outDir))) {
          throw new DorlinError('folder-missing', `There is no folder ${build.outDir} to show.`, {
            mend: 'Run `vite build` first.',
          });
        }
        const sealed = await loadPolicy(policyFile());
        server.middlewares.use(notOwn({ root: resolve(root, build.outDir), publicDir }, policyFile(), () => sealed));
        if (isSealed && preview === 'sealed') return;
        server.middlewares.use(guardMiddleware(await guardFor(server.config.logger, () => undefined)));
        server.httpServer.once('close', () => void end());
      },
    },
    outputOptions(output) {
      if (building === undefined || config.build.ssr !== false) return null;
      const named = namesBeside(building, config.root, (text) => {
        this.warn(text);
      });
      const { assetsDir } = config.build;
      const usual = `${assetsDir}/[name]-[hash].js`;
      return {
        ...output,
        entryFileNames: named<Rolldown.PreRenderedChunk>(output.entryFileNames, usual),
        chunkFileNames: named<Rolldown.PreRenderedChunk>(output.chunkFileNames, usual),
        assetFileNames: named(output.assetFileNames, `${assetsDir}/[name]-[hash][extname]`),
      };
    },
    buildEnd: end,
    closeBundle: {
      order: 'post',
      sequential: true,
      async handler(error) {
        if (error !== undefined || config.command !== 'build' || !isSealed || config.build.ssr !== false) return;
        const folder = resolve(config.root, unsealed);
        const target = resolve(config.root, out);
        await writeFile(join(folder, '.gitignore'), '# The site before it was sealed: not for any host.\n*\n');
        await emptyUnlessSealed(target, config);
        await sealInto(policyFile(), folder, target, seal === true ? {} : seal, config.logger);
      },
    },
  };
}

const known = z.strictObject({
  policy: z.string().optional(),
  seal: z
    .union([
      z.boolean(),
      z.strictObject({
        base: z.string().optional(),
        rounds: z.int().min(210_000).max(10_000_000).optional(),
        acceptWeak: z.boolean().optional(),
        check: z.boolean().optional(),
      }),
    ])
    .optional(),
  unsealed: z.string().optional(),
  preview: z.enum(['guarded', 'sealed']).optional(),
  guard: z.object().optional(),
});

/** A slip of the pen in a configuration without types must not leave a door open. */
function refuseUnknown(options: DorlinOptions): void {
  const { error } = known.safeParse(options);
  if (error !== undefined) throw new DorlinError('call-wrong', `dorlin() in Vite: ${z.prettifyError(error)}`);
}

/** Answers whoever asks for one of Dorlin's own files, which Vite would serve from its root, that there is none. */
const notOwn =
  (
    folders: Pick<Sources, 'root' | 'publicDir'>,
    policyFile: string,
    policy: () => Policy,
  ): Connect.NextHandleFunction =>
  (request, response, next) => {
    const isOwnName = ownNames([basename(policyFile), basename(draftFile(policyFile))]);
    if (!asksForOwn(request.url ?? '/', folders, isOwnFile(policyFile, policy()), isOwnName)) next();
    else sendAnswer(request, response, nothingHere);
  };

/** A guard for what the finished site has; sources pass by it. */
const unlessSource =
  (guarded: Connect.NextHandleFunction, sources: Sources): Connect.NextHandleFunction =>
  (request, response, next) => {
    const address = judgedAddress(request.url ?? '', sources);
    if (address === undefined) {
      next();
      return;
    }
    // As it is judged, so it is served.
    request.url = address;
    request.originalUrl = address;
    guarded(request, response, next);
  };

/** Names of what is built, and what it is built of. */
interface Built {
  readonly facadeModuleId?: string | null;
  readonly moduleIds?: readonly string[];
  readonly originalFileNames?: readonly string[];
}

/** Names for what is built: beside locked pages for what is built of files that lie there. */
function namesBeside(policy: Policy, root: string, warn: (text: string) => void) {
  const told = new Set<string>();
  const pathOf = (file: string) => {
    const path = relative(root, resolve(root, file.replace(/[?#].*$/s, '')));
    return path.startsWith('..') || isAbsolute(path) ? '/' : `/${path.split(sep).join('/')}`;
  };
  const sourcesOf = ({ facadeModuleId, moduleIds = [], originalFileNames }: Built) =>
    originalFileNames ?? (typeof facadeModuleId === 'string' ? [facadeModuleId] : moduleIds);
  return <Info extends Built>(given: string | ((info: Info) => string) | undefined, otherwise: string) =>
    (info: Info): string => {
      const usual = typeof given === 'function' ? given(info) : (given ?? otherwise);
      const sources = sourcesOf(info)
        .filter((file) => !file.startsWith('\0'))
        .map(pathOf);
      const place = placeBeside(policy, sources, usual, Date.now() / 1000);
      if (place === undefined) return usual;
      if ('name' in place) return place.name;
      const [first = ''] = sources;
      if (!told.has(first)) {
        warn(`${first} is locked, and what is built of it is not: lock its folder, or keep the file in \`public\`.`);
      }
      told.add(first);
      return usual;
    };
}

/** What lay there before the plugin came is Vite’s own earlier build, which it would have emptied itself. */
async function emptyUnlessSealed(target: string, { root, build }: ResolvedConfig): Promise<void> {
  const within = relative(root, target);
  const isWithin = within !== '' && !within.startsWith('..') && !isAbsolute(within);
  const isThere = (path: string) =>
    stat(join(target, path)).then(
      () => true,
      () => false,
    );
  if (build.emptyOutDir === false || !isWithin) return;
  if ((await isThere('_dorlin/sealed.json')) || (await isThere('_dorlin/unfinished.txt'))) return;
  await mkdir(target, { recursive: true });
  for (const name of await readdir(target)) {
    if (name !== '.git') await rm(join(target, name), { recursive: true, force: true });
  }
}

async function sealInto(
  policyFile: string,
  folder: string,
  out: string,
  { check = true, ...settings }: SealOnBuild,
  logger: Logger,
): Promise<void> {
  const { seal } = await import('../owner/seal.js');
  const { sealed, parts, kept, notes, cannot, links } = await seal(policyFile, { folder, out, ...settings });
  logger.info(`Dorlin: sealed in ${out}`);
  logger.info(
    `  files: ${sealed}; parts of public pages: ${parts}; left at home, as nothing opens them: ${kept.length}`,
  );
  for (const { lock, label, address } of links) logger.info(`  Entry link to ${lock}, ${label}: ${address}`);
  for (const { lock, text } of cannot) logger.info(`  ${lock === '' ? '' : `${lock}: `}${text}`);
  for (const { what, paths } of notes) logger.warn(`  ${paths.join(', ')}: ${what}`);
  if (!check) return;
  const { checkSealed } = await import('../owner/sealed-check.js');
  const { findings, addresses } = await checkSealed(policyFile, { folder, out, base: settings.base });
  if (findings.length === 0) {
    logger.info(`  Nothing locked stands in the clear: ${addresses} addresses looked through`);
    return;
  }
  const told = findings.map(({ title, place, lock, mend }) => `${title}: ${place} of ${lock}. ${mend}`);
  // Whatever brings `out` to a host, after a build that failed too, is to find nothing there.
  const aside = join(folder, '.leaking');
  await rename(out, aside).catch(() => rm(out, { recursive: true, force: true }));
  throw new DorlinError(
    'seal-leaks',
    `What is locked can be read in what was sealed into ${out}, so it was put aside to ${aside}: ${told.join(' ')}`,
  );
}
