/** The words of a hand-out; `{site}`, `{place}`, `{date}` and `{uses}` are filled in. */
export interface HandOutWords {
  readonly subject: string;
  readonly password: string;
  readonly user: string;
  readonly link: string;
  readonly until: string;
  readonly uses: string;
  readonly keep: string;
}

export const english: HandOutWords = {
  subject: '{site}: how to get in',
  password: 'The password for {place} is:',
  user: 'The user name and the password for {place} are:',
  link: 'This link opens {place}, without a password:',
  until: 'It counts until {date}.',
  uses: 'It can be used {uses} times.',
  keep: 'Please do not pass it on.',
};

export const handOutWords: Readonly<Record<string, HandOutWords>> = {
  en: english,
  fr: {
    subject: '{site} : comment entrer',
    password: 'Le mot de passe pour {place} est :',
    user: 'Le nom d’utilisateur et le mot de passe pour {place} sont :',
    link: 'Ce lien ouvre {place}, sans mot de passe :',
    until: 'Valable jusqu’au {date}.',
    uses: 'Utilisable {uses} fois.',
    keep: 'Merci de ne pas le transmettre.',
  },
  de: {
    subject: '{site}: so kommen Sie hinein',
    password: 'Das Passwort für {place} lautet:',
    user: 'Benutzername und Passwort für {place} lauten:',
    link: 'Dieser Link öffnet {place}, ohne Passwort:',
    until: 'Gültig bis {date}.',
    uses: '{uses}-mal verwendbar.',
    keep: 'Bitte geben Sie nichts davon weiter.',
  },
};

/** The languages of the texts. */
export const handOutLanguages: readonly string[] = ['en', ...Object.keys(handOutWords)].filter(
  (tag, at, all) => all.indexOf(tag) === at,
);
