import { closest } from 'fastest-levenshtein';
import { failingPairs, pairWords } from '../core/check/screen-checks.js';
import { DorlinError } from '../core/errors.js';
import { isDesignKey, readDesignTokens, tokensOf } from '../core/screen/design/tokens.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { screenNamed } from './named.js';

/** A screen's colors, type, radius and shadow as Design Tokens. */
export interface TokensExported {
  readonly screen: string;
  /** JSON of the format of the Design Tokens Community Group. */
  readonly text: string;
}

/** @throws DorlinError `screen-unknown` */
export async function exportTokens(policyFile: string, name: string): Promise<TokensExported> {
  const { design } = screenNamed(await loadPolicy(policyFile), name);
  return { screen: name, text: `${JSON.stringify(tokensOf(design), null, 2)}\n` };
}

/** What tokens were taken into a screen. */
export interface TokensImported {
  readonly screen: string;
  /** Whether the screen was made just now. */
  readonly made: boolean;
  /** Whether anything was written. */
  readonly written: boolean;
  readonly values: readonly {
    readonly key: string;
    readonly value: string | number;
    /** The token that it came from. */
    readonly token: string;
  }[];
  /** Tokens of no use here. */
  readonly unused: readonly string[];
  /** Pairs of colors that cannot be read, in words. */
  readonly faint: readonly string[];
}

/** How tokens are taken. */
export interface TokensOrder {
  /** The text of a file of Design Tokens, and what it is called. */
  readonly text: string;
  readonly file: string;
  /** What a token is for, as `key=path.of.token`. */
  readonly map?: readonly string[] | undefined;
  /** Whether to write nothing. */
  readonly dryRun?: boolean | undefined;
}

/**
 * Takes a brand's tokens into a screen, which is made where there is none.
 * @throws DorlinError `tokens-invalid`, and those of an edit
 */
export async function importTokens(
  policyFile: string,
  name: string,
  { text, file, map = [], dryRun = false }: TokensOrder,
): Promise<TokensImported> {
  const { values, unused } = readDesignTokens(text, mapOf(map));
  if (values.length === 0) {
    const what = `Nothing in ${file} has a name that tells what it is for.`;
    throw new DorlinError('tokens-invalid', what, {
      mend: `Say so: \`--map colors.light.button=${unused[0] ?? 'path.of.token'}\`.`,
    });
  }
  const made = !(await loadPolicy(policyFile)).screens.has(name);
  const about = { screen: name, made, values, unused };
  if (dryRun) return { ...about, written: false, faint: [] };
  const { after } = await editPolicyFile(policyFile, (editor) => {
    for (const { key, value } of values) editor.set(['screens', name, ...key.split('.')], value);
  });
  return { ...about, written: true, faint: failingPairs(screenNamed(after, name)).map(pairWords) };
}

function mapOf(pairs: readonly string[]): Map<string, string> {
  return new Map(
    pairs.map((pair) => {
      const [, key = '', path = ''] = /^([^=]+)=(.+)$/.exec(pair) ?? [];
      if (isDesignKey(key)) return [key, path];
      const near = closest(key, [
        'colors.light.button',
        'colors.dark.button',
        'type.family',
        'card.radius',
        'card.shadow',
      ]);
      throw new DorlinError('tokens-invalid', `\`${pair}\` does not say which key of a screen a token is for.`, {
        mend: `Write for example \`${near}=path.of.token\`.`,
      });
    }),
  );
}
