import type { Document } from 'yaml';
import { DorlinError } from '../errors.js';
import { refuseShared } from './aliases.js';
import { editorOf, type PolicyEditor } from './editor.js';
import type { Policy } from './types.js';
import { lightCopy } from './light-copy.js';
import { patchedText, tidied } from './patch.js';
import { parseWritten, policyOrThrow, readWritten } from './read.js';
import { layoutOf } from './source.js';

/**
 * Edits the text of a policy and answers with the new text and the new policy.
 *
 * @throws DorlinError `policy-invalid` where the text has a mistake before the edit, `edit-refused` where
 * it would have one after it; nothing is to be written then
 */
export function editPolicy(
  text: string,
  fileName: string,
  edit: (editor: PolicyEditor) => void,
): { text: string; before: Policy; after: Policy } {
  const written = parseWritten(text);
  const before = policyOrThrow(readWritten(written), fileName);
  const { document: original } = written;
  const document = lightCopy(original);
  edit(editorOf(document, before));
  refuseShared(original, document, fileName);
  const patched = patchedText(text, original, document);
  const edited = patched?.text ?? writeDocument(text, document);
  // What was written is read, not what was meant: once, as a policy may be long.
  const reading = readWritten(patched ?? parseWritten(edited));
  if (!reading.ok) {
    const first = reading.problems[0];
    throw new DorlinError(
      'edit-refused',
      `${fileName} cannot have that at \`${first?.path.join('.') ?? ''}\`: ${first?.message ?? ''}.`,
      { mend: 'Nothing was written.' },
    );
  }
  return { text: edited, before, after: reading.policy };
}

/** The text of a document as a whole, where the edit alone cannot be put into the text. */
function writeDocument(text: string, document: Document): string {
  const { newline, indent, indentSeq } = layoutOf(text, document.contents);
  const written = document.toString({ lineWidth: 0, indent, indentSeq }).replace(/\n*$/, '\n');
  return tidied(written).replaceAll('\n', newline);
}
