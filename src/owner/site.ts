import type { IdentityDocument, MailDocument, PatrolDocument, SiteDocument } from '../core/policy/document.js';
import { policyJsonSchema } from '../core/policy/schema.js';
import { audienceOf } from '../core/passes/pass.js';
import type { Review } from '../core/policy/review.js';
import type { Policy } from '../core/policy/types.js';
import { budgetText } from '../core/guessing/budget.js';
import { spanText } from '../core/policy/span.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { changeBetween } from './change.js';
import { readSetting, settingKeys, type Setting, type SettingKey, type SettingNode } from './key-value.js';

/** What is set for the whole site, besides `site` itself. */
const groups = ['guessing', 'mail', 'journal', 'patrol', 'identity'] as const;

/** The keys of `site` as they are, and those of the groups beneath their names. */
function siteSchema(): SettingNode {
  const { properties = {} } = policyJsonSchema() as SettingNode;
  const all: Record<string, SettingNode> = { ...properties['site']?.properties };
  for (const name of groups) if (properties[name] !== undefined) all[name] = properties[name];
  return { type: 'object', properties: all };
}

/** The keys that `changeSite` takes. */
export const siteKeys = (): SettingKey[] => settingKeys(siteSchema());

/** What is set for a site. */
export interface SiteStanding {
  readonly site: SiteDocument;
  readonly guessing: { readonly perVisitor: string; readonly perLock: string };
  readonly mail: Omit<MailDocument, 'perVisitor' | 'perLock' | 'perAddress'> & {
    readonly perVisitor: string;
    readonly perLock: string;
    readonly perAddress: string;
  };
  readonly journal?: { readonly file: string; readonly addresses: string; readonly keep: string } | undefined;
  readonly patrol: PatrolDocument;
  readonly identity?: IdentityDocument | undefined;
}

/** The settings of a site after a change, and what it opened and closed. */
export interface SiteChanged extends Review, SiteStanding {
  /** The keys that were set or taken away. */
  readonly changed: readonly string[];
}

/** How the site is set. */
export async function describeSite(policyFile: string): Promise<SiteStanding> {
  return standing(await loadPolicy(policyFile));
}

/**
 * Sets what counts for the whole site.
 *
 * Passes and links are bound to `site.id`; in a policy without one, to its origin or name. Where those
 * change, what they were bound to is written as the id, so that nobody is put out.
 *
 * @param settings - as `key=value`, the keys of `site` as they are, others as `guessing.perVisitor`
 * @throws DorlinError `setting-unknown`, `setting-invalid`, and those of an edit
 */
export async function changeSite(policyFile: string, settings: readonly string[]): Promise<SiteChanged> {
  const schema = siteSchema();
  const wanted = settings.map((text) => placed(readSetting(schema, text)));
  const isNaming = wanted.some(({ path }) => /^site,(?:name|origin)$/.test(path.join()));
  const isIdSet = wanted.some(({ path }) => path.join() === 'site,id');
  const edited = await editPolicyFile(policyFile, (editor) => {
    const { site } = editor.before;
    if (isNaming && !isIdSet && site.id === undefined) {
      editor.set(['site', 'id'], audienceOf(site));
    }
    for (const { path, value } of wanted) editor.set(path, value);
  });
  const { after } = edited;
  return {
    changed: wanted.map(({ path }) => path.join('.')),
    ...standing(after),
    ...(await changeBetween(policyFile, edited)),
  };
}

const placed = ({ path, value }: Setting): Setting => ({
  path: groups.some((group) => group === path[0]) ? path : ['site', ...path],
  value,
});

function standing({ site, guessing, mail, journal, patrol, identity }: Policy): SiteStanding {
  const { perVisitor, perLock, perAddress, ...letters } = mail;
  return {
    site,
    guessing: {
      perVisitor: budgetText(guessing.perVisitor),
      perLock: budgetText(guessing.perLock),
    },
    mail: {
      ...letters,
      perVisitor: budgetText(perVisitor),
      perLock: budgetText(perLock),
      perAddress: budgetText(perAddress),
    },
    journal: journal && {
      file: journal.file,
      addresses: journal.addresses,
      keep: spanText(journal.keepSeconds),
    },
    patrol,
    identity,
  };
}
