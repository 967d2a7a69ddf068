/**
 * Every error that Dorlin raises on purpose, in one table: what it means and how to mend it.
 * `docs/reference/errors.md` is made from it.
 */
export const errorTable = {
  'policy-missing': {
    means: 'There is no policy file at the given place.',
    mend: 'Run `dorlin init` in the folder of your site, or name the file with `--policy`.',
  },
  'folder-unsafe': {
    means: 'A web server would hand out what is Dorlin’s own: the policy lies in the folder that it serves.',
    mend: 'Put the site’s files into a folder below the policy, or the policy above them.',
  },
  'hash-unknown': {
    means: 'The policy has a hash that this runtime cannot check.',
    mend: 'Give those users new passwords, hand in a `verifier` that can, or run the guard in Node.',
  },
  'policy-exists': {
    means: 'There is a policy file already, and a new one would overwrite it.',
    mend: 'Edit the existing file, or move it away first.',
  },
  'policy-invalid': {
    means: 'The policy has a mistake. It is not loaded, in whole or in part.',
    mend: 'Mend the line that the message names. The reference lists every key.',
  },
  'policy-shared': {
    means:
      'What a command is to edit is shared by a YAML anchor and its aliases, so that the edit would change other places too.',
    mend: 'Write out in full what is to differ, in the place of the alias (`*name`), and run the command again.',
  },
  'policy-changed': {
    means: 'The policy was changed by somebody else while a command was editing it.',
    mend: 'Run the command again; it then starts from the new text.',
  },
  'policy-busy': {
    means: 'Another Dorlin command is writing the policy and did not finish in time.',
    mend: 'Wait for it. If none runs, delete the lock file that the message names.',
  },
  'secret-given': {
    means: 'The secret is not Dorlin’s to change, as the environment says it.',
    mend: 'Put a new one in front of it there, with a comma between them: the first signs, all verify. Then start what serves anew.',
  },
  'store-away': {
    means: 'The store that several machines share cannot be reached, or did not answer in time.',
    mend: 'See whether it runs and is reached from here. Guards take it up again by themselves.',
  },
  'store-unfit': {
    means: 'The store that several machines share refused a command, or what it holds cannot be read.',
    mend: 'See what the message names: a user’s rights, the memory that is left, or who else writes there.',
  },
  'source-unknown': {
    means: 'The shared store has no policy for this site, or it is not said for which site.',
    mend: 'Bring one in with `dorlin push`, or name the site with `--site`.',
  },
  'source-changed': {
    means: 'The policy in the shared store is not the one that this policy began as: somebody has pushed another.',
    mend: 'Run `dorlin pull`, which keeps your changes in a draft, and push again.',
  },
  'source-refused': {
    means: 'A policy cannot be brought into the shared store as it is.',
    mend: 'Do what the message names, and push again.',
  },
  'file-unusable': {
    means: 'A file or a folder that a command needs cannot be read or written.',
    mend: 'See whether it is there and whose it is, or name another.',
  },
  'address-unusable': {
    means: 'A host or an address cannot be listened at, or cannot be reached.',
    mend: 'Name another: `127.0.0.1` is this machine alone, `0.0.0.0` all of its addresses.',
  },
  'journal-off': {
    means: 'The policy keeps no journal, so there is nothing to show.',
    mend: "Keep one: `dorlin site journal.keep='90 days'`; what happens from then on is in it.",
  },
  'draft-missing': {
    means: 'There is no draft of the policy.',
    mend: 'Begin one by an edit with `--draft`: `dorlin lock members /events/dinner --draft`.',
  },
  'nothing-to-take-back': {
    means: 'The last change of the policy was not made by a command, so none can take it back.',
    mend: 'Edit the file, or take an older version from your own history of it.',
  },
  'site-changing': {
    means: 'A file of the site has changed while it was read to be sealed.',
    mend: 'Seal again once the build is done.',
  },
  'sealing-unreadable': {
    means: 'What is drawn for the keys of sealed locks cannot be read.',
    mend: 'Restore `.dorlin/sealing.json` from a backup, or delete it: everything gets new keys then.',
  },
  'seal-folder': {
    means: 'A sealed site cannot be written there.',
    mend: 'Name an empty folder, or one that holds a sealed site, beside the site’s own.',
  },
  'seal-weak': {
    means: 'A password would not stand: whoever takes a sealed file home may guess as long as they like.',
    mend: 'Rotate it to a made one (`dorlin password rotate LOCK`), or insist with `--accept-weak`.',
  },
  'seal-unfit': {
    means: 'Something of the site cannot be sealed for certain, and so nothing is.',
    mend: 'Change what is named, or lock the whole page.',
  },
  'seal-leaks': {
    means: 'What is locked stands in the clear somewhere in the sealed site.',
    mend: 'Take it out of what is named, or lock that as well; `dorlin seal --check` shows it again.',
  },
  'vite-base': {
    means: 'The site is built for one folder of its host, and places of the policy begin at the root of the site.',
    mend: "Set `base: './'`: the site then works in any folder of any host, and so does what is sealed of it.",
  },
  'sitemap-unreadable': {
    means: 'A sitemap cannot be had, or is none.',
    mend: 'Look at its address in a browser; packed ones (`.xml.gz`), indexes and lists of lines are read as well.',
  },
  'site-unreachable': {
    means: 'A site does not answer at the address given.',
    mend: 'Check the address, and that the site runs.',
  },
  'place-invalid': {
    means: 'A place is not written the way places are written.',
    mend: 'Write a path such as `/about` (a page), `/press/` (a folder) or `/` (the whole site).',
  },
  'place-unlocked': {
    means: 'A place to be released is under no lock.',
    mend: 'Run `dorlin places` to see which lock covers what.',
  },
  'mail-missing': {
    means: 'Letters are to be sent, and no mail server is named.',
    mend: 'Name one: `dorlin site --mail-from … --mail-server smtps://…`; or set `DORLIN_SMTP`.',
  },
  'mail-failed': {
    means: 'A mail server did not take a letter.',
    mend: 'See whether `mail.server` or `DORLIN_SMTP` is right, and what the server’s own log says.',
  },
  'screen-unknown': {
    means: 'No screen has that name.',
    mend: 'Run `dorlin screen list` to see the screens and the looks.',
  },
  'tokens-invalid': {
    means: 'A file is none of Design Tokens, or a token in it cannot be used.',
    mend: 'Export a screen’s to see what they look like: `dorlin screen tokens export default`.',
  },
  'place-empty': {
    means: 'No file of the site lies at a place that is to be locked, or its page has no such section.',
    mend: 'Mend its spelling; `dorlin places` shows what there is. For pages that an application makes, add `--dynamic`.',
  },
  'time-invalid': {
    means: 'A text is neither a moment nor a span of time.',
    mend: 'Write `2026-12-01`, `2026-12-01T09:00`, or a span such as `30 days`.',
  },
  'time-past': {
    means: 'A moment is past by which something is to end.',
    mend: 'Name a later one, or a span from now on, such as `7 days`.',
  },
  'edit-refused': {
    means: 'An edit would have made the policy wrong, so that it is refused. Nothing was written.',
    mend: 'Mend what the message names.',
  },
  'setting-unknown': {
    means: 'No setting has that key.',
    mend: 'See which there are: `dorlin site --keys`, `dorlin screen edit NAME --keys`.',
  },
  'setting-invalid': {
    means: 'A setting cannot be that.',
    mend: 'Write it as `KEY=VALUE`; the reference tells what each key may be.',
  },
  'bypass-unknown': {
    means: 'No bypass has that name.',
    mend: 'Run `dorlin bypass list`, or make one with `dorlin bypass add NAME`.',
  },
  'bypass-open': {
    means: 'A bypass without a condition would let in everybody.',
    mend: 'Say whom it is for: `--address`, `--role`, `--person` or `--signed-in`.',
  },
  'address-invalid': {
    means: 'A text is no address of a visitor, or no range of them.',
    mend: 'Write an address such as `203.0.113.7`; where ranges are taken, such as `2001:db8:40::/48`.',
  },
  'label-taken': {
    means: 'The lock has a password or a link with that label already.',
    mend: 'Choose another label: it tells you whom each is for.',
  },
  'link-invalid': {
    means: 'An entry link cannot be made like that.',
    mend: 'It lands at a path of this site, and may be used from 1 to 100,000 times.',
  },
  'plan-invalid': {
    means: 'Passwords cannot be planned like that.',
    mend: "Say for example `--every month --count 12 --overlap '7 days'`.",
  },
  'finding-unknown': {
    means: 'No finding has that code.',
    mend: 'The reference lists them all.',
  },
  'record-unfit': {
    means: 'A record of a patrol cannot be gone on with: it is of another, or too old.',
    mend: 'Name another file with `--resume`, or delete that one.',
  },
  'list-unreadable': {
    means: 'The list of those who asked for something cannot be read.',
    mend: 'Look at it with a spreadsheet or an editor, and mend or move it.',
  },
  'event-unknown': {
    means: 'No event of the journal has that name.',
    mend: 'See them with `dorlin journal --help`.',
  },
  'state-unknown': {
    means: 'A screen has no such state.',
    mend: 'See them with `dorlin screen export --help`.',
  },
  'language-unknown': {
    means: 'There are no texts in that language.',
    mend: 'Name one that is spoken: `dorlin site languages=en-IE,fr` sets those of the screens.',
  },
  'screen-exists': {
    means: 'There is a screen of that name already.',
    mend: 'Change it with `dorlin screen edit NAME KEY=VALUE`, or choose another name.',
  },
  'picture-unusable': {
    means: 'A file cannot be kept for screens: it is no picture or font, or it is larger than 1.4 MB.',
    mend: 'Choose an AVIF, GIF, JPEG, PNG, SVG or WebP picture, or a WOFF2 font, and make it smaller.',
  },
  'origin-invalid': {
    means: 'A text is no scheme and host.',
    mend: 'Write it such as `https://kestrelmoor.example`.',
  },
  'password-unfit': {
    means: 'A password cannot be that.',
    mend: 'Send one line, without control characters.',
  },
  'lock-unknown': {
    means: 'No lock has that name.',
    mend: 'Run `dorlin places` to see the locks, or `dorlin lock NAME PLACE` to make one.',
  },
  'lock-name': {
    means: 'A lock name has letters in it that a lock name cannot have.',
    mend: 'Use small letters, digits, `-` and `_`, beginning with a letter: `press-room`.',
  },
  'password-unknown': {
    means: 'The lock has no password with that id or label.',
    mend: 'Run `dorlin password list LOCK`.',
  },
  'link-unknown': {
    means: 'The lock has no entry link with that id or label.',
    mend: 'Run `dorlin link LOCK --list`.',
  },
  'origin-missing': {
    means: 'An address was asked for, and nobody says at which host the site is.',
    mend: 'Say so once and for all with `dorlin site --origin https://…`, or name it with `--origin`.',
  },
  'address-unknown': {
    means: 'The site did not say from which address it is visited.',
    mend: 'Start it, let it tell with `dorlin site --show-address yes`, and name it with `--site`.',
  },
  'htpasswd-invalid': {
    means: 'An htpasswd file has lines that cannot be taken. None of it was.',
    mend: 'Mend the lines that are named; new ones are best written by `htpasswd -B`.',
  },
  'file-exists': {
    means: 'There is a file already where one was to be written.',
    mend: 'Name another file, or delete that one first.',
  },
  'password-empty': {
    means: 'The password is empty, or nothing but spaces.',
    mend: 'Type one, or let Dorlin make one by leaving out `--password-stdin`.',
  },
  'password-too-long': {
    means: 'The password is longer than 256 characters.',
    mend: 'Choose a shorter one; a few words are strong enough.',
  },
  'password-duplicate': {
    means: 'The lock has this very password already, under another label.',
    mend: 'Choose another one: two people with one password cannot be told apart or parted.',
  },
  'password-salt': {
    means: 'The passwords of one lock were hashed with different salts or costs.',
    mend: 'Put new passwords in their place with `dorlin password rotate`; they then share one salt.',
  },
  'password-not-recallable': {
    means: 'The password cannot be looked up: only its hash is here, or the secret has changed.',
    mend: 'Rotate it with `dorlin password rotate`, and hand out the new one.',
  },
  'hashing-busy': {
    means: 'So many passwords are being tried at once that this one was not hashed.',
    mend: 'Nothing, if it passes by itself: the guard has answered 503. If it stays, somebody is flooding the site.',
  },
  'secret-weak': {
    means: 'A secret is too short to sign with.',
    mend: 'Use at least 32 random characters, or unset DORLIN_SECRET and let Dorlin make one.',
  },
  'secret-missing': {
    means: 'There is no secret to sign or to read with.',
    mend: 'Run `dorlin init`, or set DORLIN_SECRET.',
  },
  'folder-missing': {
    means: 'The folder of the site is not there.',
    mend: 'Build your site first, or name its folder with `--folder`.',
  },
  'port-taken': {
    means: 'Another program is listening on that port.',
    mend: 'Name another with `--port`, or leave it out and the next free one is used.',
  },
  'draft-conflict': {
    means: 'A draft and the policy were both changed at the same key, so that one cannot be carried into the other.',
    mend: 'Look at both. Make the draft live all the same, which undoes the other change, or throw it away and begin anew.',
  },
  'people-unreadable': {
    means: 'The file of those who may use the console cannot be read, so that nobody is let in.',
    mend: 'Mend `.dorlin/console.json`, or move it away and invite everybody anew with `dorlin console invite`.',
  },
  'person-unknown': {
    means: 'Nobody of that name may use the console.',
    mend: 'See who does: `dorlin console people`.',
  },
  'person-name': {
    means: 'A name for the console is none, or somebody has it already.',
    mend: 'Write a name of up to 60 letters, such as `Imke`.',
  },
  'person-last': {
    means: 'Without this owner, nobody could invite anybody any more.',
    mend: 'Invite another owner first.',
  },
  'password-weak': {
    means: 'A password for the console is too easy to guess: whoever has it may open every lock.',
    mend: 'Take four words that have nothing to do with each other, or what a password manager makes.',
  },
  'invite-invalid': {
    means: 'An invitation names locks for an owner, or none for a keeper.',
    mend: 'Owners look after everything. For a keeper, name the locks: `dorlin console invite --keeper members`.',
  },
  'invite-ended': {
    means: 'An invitation to the console was taken, has ended, or never was.',
    mend: 'Ask an owner for a new one, or make one where the policy lies: `dorlin console invite`.',
  },
  'invite-unknown': {
    means: 'No invitation of that name waits to be taken.',
    mend: 'See those that do: `dorlin console people`.',
  },
  'sign-in-wrong': {
    means: 'Nobody of that name has that password.',
    mend: 'Try again. Who has forgotten it gets a new one by `dorlin console invite --person NAME`.',
  },
  'sign-in-wait': {
    means: 'There were too many tries to sign in at the console.',
    mend: 'Wait as long as it says.',
  },
  'not-signed-in': {
    means: 'The console was asked for something by nobody that it knows.',
    mend: 'Sign in.',
  },
  'not-allowed': {
    means: 'A keeper may not do that, or a request came from somewhere else than the console’s own page.',
    mend: 'Ask an owner.',
  },
  'console-insecure': {
    means: 'The console would be reached over a connection that others can read.',
    mend: 'Reach it over https, behind a proxy that `site.trustedProxies` names, or on this machine alone.',
  },
  'input-too-long': {
    means: 'The console was sent more than it reads.',
    mend: 'Send less at once: in several calls, such as fewer places in each.',
  },
  'input-invalid': {
    means: 'What the console was sent is not what that call takes.',
    mend: 'The message says where. The calls and what they take are listed in docs/console.md.',
  },
  'call-wrong': {
    means: 'The command was called with something missing or something too much.',
    mend: 'Add `--help` to the command to see how it is called.',
  },
} as const;

/** A stable name for a kind of error; see `docs/reference/errors.md`. */
export type DorlinErrorCode = keyof typeof errorTable;

/**
 * The one error class of Dorlin. `code` is stable and may be relied on; `message` says what is
 * wrong, where, and what to do, and never holds a password, a token or a request.
 */
export class DorlinError extends Error {
  override readonly name = 'DorlinError';
  readonly code: DorlinErrorCode;

  /**
   * @param code - a key of the error table
   * @param what - what is wrong and where, in one sentence
   * @param options - `mend`: what to do, where the table's general advice can be bettered
   */
  constructor(code: DorlinErrorCode, what: string, options: { mend?: string; cause?: unknown } = {}) {
    const mend = options.mend ?? errorTable[code].mend;
    super(mend === '' ? what : `${what}\n${mend}`, options.cause === undefined ? undefined : { cause: options.cause });
    this.code = code;
  }
}
