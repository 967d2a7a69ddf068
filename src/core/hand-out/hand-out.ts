import { english, handOutWords } from './words.js';

/** What is to be handed out, and to whom it is said in which language. */
export interface HandOutSubject {
  readonly siteName: string;
  /** What the place is called: the lock's title, or its address. */
  readonly place: string;
  /** Where it is: an address that can be opened. With an entry link, that link. */
  readonly address: string;
  /** Left out for an entry link. */
  readonly password?: string | undefined;
  /** The user name, where HTTP Basic asks for one. */
  readonly user?: string | undefined;
  /** When it ends, in seconds since 1970. */
  readonly until?: number | undefined;
  readonly uses?: number | undefined;
  readonly timeZone: string;
  /** A language tag (BCP 47); English, if it is not spoken here. */
  readonly language: string;
}

/** A text ready to be sent. */
export interface HandOut {
  readonly subject: string;
  readonly text: string;
  /** Opens a new message in a mail program (RFC 6068). */
  readonly mailto: string;
  /** Opens a new text message (RFC 5724, with the body that telephones take). */
  readonly sms: string;
}

/** The text with which a password or an entry link is handed out. */
export function handOut(given: HandOutSubject): HandOut {
  const spoken = given.language.toLowerCase().split('-')[0] ?? '';
  const words = handOutWords[spoken] ?? english;
  const tag = spoken in handOutWords ? given.language : 'en';
  const { siteName: site, place, address, password, user, until, uses, timeZone } = given;
  const date =
    until === undefined
      ? ''
      : new Date(until * 1000).toLocaleString(tag, {
          dateStyle: 'long',
          timeStyle: 'short',
          // Midnight as 00:00, which nobody takes for noon.
          hourCycle: 'h23',
          timeZone,
        });
  const fill = (text: string) =>
    text.replace(
      /\{(site|place|date|uses)\}/g,
      (_, name: 'site' | 'place' | 'date' | 'uses') => ({ site, place, date, uses: String(uses) })[name],
    );
  const lines =
    password === undefined
      ? [fill(words.link), '', address]
      : [
          fill(user === undefined ? words.password : words.user),
          '',
          ...(user === undefined ? [] : [user]),
          password,
          '',
          address,
        ];
  const facts = [
    until === undefined ? '' : fill(words.until),
    uses === undefined ? '' : fill(words.uses),
    words.keep,
  ].filter((sentence) => sentence !== '');
  const text = [site, '', ...lines, '', facts.join(' ')].join('\n');
  const subject = fill(words.subject);
  const body = encodeURIComponent(text.replaceAll('\n', '\r\n'));
  return {
    subject,
    text,
    mailto: `mailto:?subject=${encodeURIComponent(subject)}&body=${body}`,
    sms: `sms:?body=${encodeURIComponent(text)}`,
  };
}
