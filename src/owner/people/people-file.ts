import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { writeFileWhole } from '../../stores/whole-file.js';
import * as z from 'zod';
import { DorlinError } from '../../core/errors.js';
import { ignore } from '../../stores/file-errors.js';
import { keepingFolder, whileAlone } from '../../stores/keeping.js';

const role: z.ZodType<PersonRole> = z.enum(['owner', 'keeper']);

/** Who may use the console: everything, or the ways in of some locks. */
export type PersonRole = 'owner' | 'keeper';

const personSchema = z.strictObject({
  id: z.string(),
  name: z.string(),
  role,
  /** The locks that a keeper looks after. */
  locks: z.array(z.string()),
  /** PHC string, argon2id. */
  hash: z.string(),
  /** Sessions of an earlier number are ended. */
  sessions: z.number().int(),
  /** RFC 3339. */
  since: z.string(),
});

const inviteSchema = z.strictObject({
  id: z.string(),
  /** SHA-256 of the invitation's token: the file alone lets nobody in. */
  digest: z.string(),
  role,
  locks: z.array(z.string()),
  /** In seconds since 1970. */
  until: z.number(),
  /** Whose password is set anew by it; else it is for somebody new. */
  person: z.string().optional(),
  /** The id of the person who made it in the console; without one, it was made by command. */
  by: z.string().optional(),
});

const fileSchema = z.strictObject({ people: z.array(personSchema), invites: z.array(inviteSchema) });

export type Person = z.output<typeof personSchema>;
export type Invite = z.output<typeof inviteSchema>;
export type PeopleFile = z.output<typeof fileSchema>;

export const peopleFile = (policyFile: string): string => join(keepingFolder(policyFile), 'console.json');

/**
 * Who may use the console of a policy.
 * @throws DorlinError `people-unreadable`: a file that cannot be read lets nobody in
 */
export async function readPeople(policyFile: string): Promise<PeopleFile> {
  const file = peopleFile(policyFile);
  const text = await readFile(file, 'utf8').catch(ignore('ENOENT'));
  if (text === undefined) return { people: [], invites: [] };
  try {
    return fileSchema.parse(JSON.parse(text));
  } catch (cause) {
    throw new DorlinError('people-unreadable', `${file} cannot be read any more.`, { cause });
  }
}

/** Changes who may, while no other process does. */
export async function editPeople<T>(policyFile: string, edit: (file: PeopleFile) => T): Promise<T> {
  return whileAlone(
    policyFile,
    async () => {
      const file = await readPeople(policyFile);
      const result = edit(file);
      await writeFileWhole(peopleFile(policyFile), `${JSON.stringify(file, null, 2)}\n`, { mode: 0o600 });
      return result;
    },
    'console.lock',
  );
}
