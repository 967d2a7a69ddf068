import { failingPairs } from '../core/check/screen-checks.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { screenJsonSchema } from '../core/screen/design/schema.js';
import { beginning } from '../core/screen/looks/begin.js';
import { looks } from '../core/screen/looks/looks.js';
import { lookNames, type LookName } from '../core/screen/looks/names.js';
import type { Screen } from '../core/screen/screen.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { readSetting, settingKeys, type SettingKey, type SettingNode } from './key-value.js';
import { lockNamed, screenNamed } from './named.js';

/** A screen as it is listed. */
export interface ScreenListed {
  readonly name: string;
  readonly look: string;
  readonly layout: string;
  readonly scheme: string;
  /** The locks that show it. */
  readonly locks: readonly string[];
  /** Pairs of colors that meet and are too much alike to be read. */
  readonly failingPairs: number;
}

/** The screens of a policy, and the looks to start from. */
export interface ScreenList {
  readonly screens: readonly ScreenListed[];
  readonly looks: readonly {
    readonly name: string;
    readonly layout: string;
    readonly about: string;
  }[];
}

export async function listScreens(policyFile: string): Promise<ScreenList> {
  const policy = await loadPolicy(policyFile);
  return {
    screens: [...policy.screens.values()].map((screen) => listedScreen(policy, screen)),
    looks: Object.values(looks).map(({ name, layout, about }) => ({ name, layout, about })),
  };
}

/** A screen in few words. */
export function listedScreen(policy: Policy, screen: Screen): ScreenListed {
  const { name, design } = screen;
  const locks = [...policy.locks.values()].filter((lock) => lock.screen.name === name);
  return {
    name,
    look: design.look,
    layout: design.layout,
    scheme: design.scheme,
    locks: locks.map((lock) => lock.name),
    failingPairs: failingPairs(screen).length,
  };
}

/** The keys of a screen that can be set. */
export const screenKeys = (): SettingKey[] => settingKeys(screenJsonSchema() as SettingNode);

/** A screen after it was made or changed. */
export interface ScreenChanged extends ScreenListed {
  /** Whether it was made just now. */
  readonly made: boolean;
  /** The keys that were set or taken away. */
  readonly changed: readonly string[];
  /** Pairs of colors that cannot be read, in words. */
  readonly faint: readonly string[];
}

/** What a new screen is to be. */
export interface ScreenOrder {
  /** The look to start from. */
  readonly look?: string | undefined;
  /** A screen of the policy to start as a copy of. */
  readonly like?: string | undefined;
  /** Locks that are to show it. */
  readonly locks?: readonly string[] | undefined;
  readonly settings?: readonly string[] | undefined;
}

/**
 * Makes a screen.
 * @throws DorlinError `screen-exists`, `setting-unknown`, `setting-invalid`, `lock-unknown`,
 * `screen-unknown`, and those of an edit
 */
export async function makeScreen(
  policyFile: string,
  name: string,
  { look, like, locks = [], settings = [] }: ScreenOrder,
): Promise<ScreenChanged> {
  // A screen without a look would be the doorway, and its owner not know why.
  const started = look ?? (like === undefined ? lookNames[0] : undefined);
  const all = [...(started === undefined ? [] : [`look=${started}`]), ...settings];
  return change(policyFile, name, all, { isNew: true, like, locks });
}

/**
 * Sets keys of a screen.
 *
 * @param settings - as `key=value`: `look=harbour`, `text.heading.fr=Bonsoir`
 * @throws DorlinError `screen-unknown`, `setting-unknown`, `setting-invalid`, and those of an edit
 */
export function changeScreen(
  policyFile: string,
  name: string,
  settings: readonly string[],
  locks: readonly string[] = [],
): Promise<ScreenChanged> {
  return change(policyFile, name, settings, { isNew: false, locks });
}

const isLook = (value: unknown): value is LookName => lookNames.some((name) => name === value);

async function change(
  policyFile: string,
  name: string,
  settings: readonly string[],
  {
    isNew,
    like,
    locks,
  }: { readonly isNew: boolean; readonly like?: string | undefined; readonly locks: readonly string[] },
): Promise<ScreenChanged> {
  const schema = screenJsonSchema() as SettingNode;
  const wanted = settings.map((text) => readSetting(schema, text));
  const { before, after } = await editPolicyFile(policyFile, (editor) => {
    const written = editor.get(['screens', name]);
    if (isNew && written !== undefined) {
      throw new DorlinError('screen-exists', `There is a screen \`${name}\` already.`, {
        mend: `Change it with: dorlin screen edit ${name} KEY=VALUE`,
      });
    }
    if (!isNew) screenNamed(editor.before, name);
    if (like !== undefined) {
      screenNamed(editor.before, like);
      editor.set(['screens', name], editor.get(['screens', like]) ?? {});
    }
    const started = wanted.find(({ path }) => path.join() === 'look')?.value;
    if (isNew && isLook(started)) {
      for (const [key, value] of Object.entries(beginning(started, editor.before.site.languages)))
        editor.set(['screens', name, key], value);
    }
    for (const { path, value } of wanted) editor.set(['screens', name, ...path], value);
    for (const lock of locks) {
      lockNamed(editor.before, lock);
      editor.set(['locks', lock, 'screen'], name === 'default' ? undefined : name);
    }
  });
  const screen = screenNamed(after, name);
  const { pairWords } = await import('../core/check/screen-checks.js');
  return {
    ...listedScreen(after, screen),
    made: !before.screens.has(name),
    changed: wanted.map(({ path }) => path.join('.')),
    faint: failingPairs(screen).map(pairWords),
  };
}
