import { readFile, stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { DorlinError } from '../core/errors.js';
import type { PolicyEditor } from '../core/policy/editor.js';
import type { Policy } from '../core/policy/types.js';
import { sampleFacts, type SampleFacts } from '../core/screen/sample.js';
import { defaultScreenName, type Screen } from '../core/screen/screen.js';
import { keptKind, keptPath } from '../core/screen/kept-file.js';
import { parseWritten, readPolicyOrThrow } from '../core/policy/read.js';
import { editPolicyFile, loadPolicy, readPolicyText } from '../stores/policy-file.js';
import { keep, keptNames } from '../stores/kept-files.js';
import { lockNamed, screenNamed } from './named.js';
import { listedScreen, type ScreenListed } from './screens.js';

/** A screen as the policy has it, key by key: what a designer reads and writes. */
export type WrittenScreen = Readonly<Record<string, unknown>>;

/** A screen with all that is needed to draw it as visitors see it. */
export interface ScreenToDesign extends ScreenListed {
  readonly written: WrittenScreen;
  /** Whether it stands in the policy; else it is the one that is built in. */
  readonly isWritten: boolean;
  readonly sample: SampleFacts;
}

/** The screens of a policy, as a designer needs them. */
export interface ScreensToDesign {
  readonly site: {
    readonly name: string;
    readonly timeZone: string;
    readonly languages: readonly string[];
  };
  readonly screens: readonly ScreenToDesign[];
  /** Every lock, and the screen that it shows. */
  readonly locks: readonly { readonly name: string; readonly title?: string | undefined; readonly screen: string }[];
  /** The paths of the pictures and fonts that are kept beside the policy. */
  readonly kept: readonly string[];
}

/** @throws DorlinError those of reading a policy */
export async function screensToDesign(policyFile: string): Promise<ScreensToDesign> {
  // Read once: what is written and what it means are of the same moment.
  const text = await readPolicyText(policyFile);
  const policy = readPolicyOrThrow(text, policyFile);
  const { document } = parseWritten(text);
  const written = (document.toJS() as { readonly screens?: Readonly<Record<string, WrittenScreen>> }).screens;
  const { name, timeZone, languages, prefix } = policy.site;
  return {
    site: { name, timeZone, languages },
    screens: [...policy.screens.values()].map((screen) => ({
      ...listedScreen(policy, screen),
      written: { look: screen.design.look, ...written?.[screen.name] },
      isWritten: written?.[screen.name] !== undefined,
      sample: sampleFacts(policy, screen),
    })),
    locks: [...policy.locks.values()].map((lock) => ({ name: lock.name, title: lock.title, screen: lock.screen.name })),
    kept: (await keptNames(policyFile)).map((kept) => keptPath(prefix, kept)),
  };
}

/** A screen as it is to be. */
export interface DesignOrder {
  readonly written: WrittenScreen;
  /** The screen as it was when the work on it began; what somebody else has done to it since is not written over. */
  readonly before?: WrittenScreen | undefined;
  /** Whether there is none of this name yet. */
  readonly isNew?: boolean | undefined;
  /** The locks that are to show it; those that do so now and are not named show the default screen. */
  readonly locks?: readonly string[] | undefined;
}

/**
 * Writes a screen as it was designed: key by key, so that the owner’s comments stay.
 * @throws DorlinError `screen-exists`, `screen-unknown`, `lock-unknown`, `policy-changed`, and those of an edit
 */
export async function designScreen(
  policyFile: string,
  name: string,
  { written, before, isNew = false, locks }: DesignOrder,
): Promise<ScreenListed> {
  const { after } = await editPolicyFile(policyFile, (editor) => {
    const there = editor.get(['screens', name]);
    if (isNew && there !== undefined) {
      throw new DorlinError('screen-exists', `There is a screen \`${name}\` already.`, {
        mend: 'Choose another name for it.',
      });
    }
    if (!isNew) screenNamed(editor.before, name);
    const look = screenLook(editor.before, name);
    const now = { look, ...(isMap(there) ? there : {}) };
    if (before !== undefined && differences(now, { look, ...before }).length > 0) {
      throw new DorlinError('policy-changed', `Somebody else has changed the screen \`${name}\` meanwhile.`, {
        mend: 'Look at it as it is now, or write over it.',
      });
    }
    // Without a look it would be another screen after the looks change.
    const whole: WrittenScreen = { look, ...written };
    for (const { path, value } of differences(there, whole)) editor.set(['screens', name, ...path], value);
    if (locks !== undefined) showAt(editor, name, locks);
  });
  return listedScreen(after, screenNamed(after, name));
}

const screenLook = ({ screens, defaultScreen }: Policy, name: string) =>
  (screens.get(name) ?? defaultScreen).design.look;

/** Says at each lock which screen it shows. */
function showAt(editor: PolicyEditor, name: string, locks: readonly string[]): void {
  for (const lock of locks) lockNamed(editor.before, lock);
  for (const lock of editor.before.locks.values()) {
    const isChosen = locks.includes(lock.name);
    if (isChosen === (lock.screen.name === name)) continue;
    const shown = isChosen && name !== defaultScreenName ? name : undefined;
    editor.set(['locks', lock.name, 'screen'], shown);
  }
}

/** A screen that is gone. */
export interface ScreenRemoved {
  readonly screen: string;
  /** The locks that showed it, and show the default screen now. */
  readonly locks: readonly string[];
}

/** @throws DorlinError `screen-unknown`, and those of an edit */
export async function removeScreen(policyFile: string, name: string): Promise<ScreenRemoved> {
  let shown: readonly Screen[] = [];
  const { before } = await editPolicyFile(policyFile, (editor) => {
    const screen = screenNamed(editor.before, name);
    if (editor.get(['screens', name]) === undefined) {
      throw new DorlinError('screen-unknown', `The screen \`${name}\` is built in, and cannot be taken away.`);
    }
    shown = [screen];
    if (name !== defaultScreenName) showAt(editor, name, []);
    editor.set(['screens', name], undefined);
  });
  const locks = [...before.locks.values()].filter(({ screen }) => shown.includes(screen)).map((lock) => lock.name);
  return { screen: name, locks };
}

interface Difference {
  readonly path: readonly string[];
  /** Undefined where the key is to go. */
  readonly value: unknown;
}

const isMap = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** What must be set to make one value of another; a list is set as a whole. */
function differences(from: unknown, to: unknown, path: readonly string[] = []): Difference[] {
  if (isMap(to) && (isMap(from) || (from === undefined && path.length < 2))) {
    const before = isMap(from) ? from : {};
    return [...new Set([...Object.keys(to), ...Object.keys(before)])].flatMap((key) =>
      differences(before[key], to[key], [...path, key]),
    );
  }
  return JSON.stringify(from) === JSON.stringify(to) ? [] : [{ path, value: to }];
}

/** The largest picture or font that is kept, in bytes. */
const largestKept = 1_400_000;

/** Says by its first bytes what a file is; undefined where it is nothing that screens show. */
function kindOf(bytes: Uint8Array) {
  const start = Buffer.from(bytes.subarray(0, 64)).toString('latin1');
  const signs = [
    ['png', /^\x89PNG\r\n\x1a\n/],
    ['jpg', /^\xff\xd8\xff/],
    ['gif', /^GIF8[79]a/],
    ['webp', /^RIFF[^]{4}WEBP/],
    ['avif', /^[^]{4}ftypavi[fs]/],
    ['woff2', /^wOF2/],
    ['woff', /^wOFF/],
    ['otf', /^OTTO/],
    ['ttf', /^\0\x01\0\0/],
  ] as const;
  const found = signs.find(([, sign]) => sign.test(start))?.[0];
  if (found !== undefined) return found;
  const text = Buffer.from(bytes.subarray(0, 4096)).toString('utf8');
  // A comment ends at its first end and nowhere else: many of them must not be tried in every grouping.
  return /^\uFEFF?\s*(?:<\?xml[^>]*>\s*)?(?:<!--(?:(?!-->)[^])*-->\s*|<!DOCTYPE[^>]*>\s*)*<svg[\s>]/i.test(text)
    ? 'svg'
    : undefined;
}

/** A file that is kept beside the policy. */
export interface FileKept {
  /** Its path on the site: what a design says. */
  readonly path: string;
  readonly bytes: number;
}

/**
 * The same as {@link keepForScreens}, of a file on this machine.
 * @throws DorlinError `picture-unusable`
 */
export async function keepFileForScreens(policyFile: string, file: string): Promise<FileKept> {
  const called = basename(file);
  try {
    // What is no file may never end.
    const about = await stat(file);
    if (about.isFile() && about.size <= mostRead) {
      return await keepForScreens(policyFile, called, await readFile(file));
    }
  } catch (cause) {
    if (cause instanceof DorlinError) throw cause;
    throw new DorlinError('picture-unusable', `${file} cannot be read.`, { cause });
  }
  throw new DorlinError('picture-unusable', `${file} is no file of a picture or font, or far too large.`);
}

/** More than that is not even looked at, in bytes. */
const mostRead = 50_000_000;

/**
 * Keeps a picture or font beside the policy, to be shown on screens whatever is locked.
 *
 * @param called - what its owner calls it
 * @throws DorlinError `picture-unusable`
 */
export async function keepForScreens(policyFile: string, called: string, bytes: Uint8Array): Promise<FileKept> {
  const { site } = await loadPolicy(policyFile);
  const kind = kindOf(bytes);
  if (kind === undefined) {
    throw new DorlinError('picture-unusable', `${called} is no picture and no font that browsers show.`);
  }
  if (bytes.length > largestKept) {
    const size = (bytes.length / 1_000_000).toFixed(1);
    throw new DorlinError('picture-unusable', `${called} has ${size} MB, and every visitor would load it.`);
  }
  const name = await keep(policyFile, called, kind, bytes);
  if (keptKind(name) === undefined) throw new Error(`a kept file has the name ${name}`);
  return { path: keptPath(site.prefix, name), bytes: bytes.length };
}
