/**
 * Every text of the screen, in one language. `{span}` in `stay` and `wait` becomes the time, `{date}` in
 * `opens` the day and hour, `{bypass}` in `ribbonBy` its name. In letters `{site}` becomes the name of
 * the site, `{place}` what the lock’s visitors call it, `{secret}` the password or link, `{address}` the
 * page; in `sentMessage` and `keptMessage` it is the mailbox.
 */
export interface ScreenWords {
  readonly heading: string;
  readonly message: string;
  readonly label: string;
  readonly show: string;
  readonly hide: string;
  readonly stay: string;
  readonly button: string;
  readonly hint: string;
  readonly wrong: string;
  readonly wait: string;
  readonly closedHeading: string;
  readonly closedMessage: string;
  readonly opens: string;
  readonly enterHeading: string;
  readonly enterMessage: string;
  readonly endedHeading: string;
  readonly endedMessage: string;
  readonly awayHeading: string;
  readonly awayMessage: string;
  readonly credentialsMessage: string;
  readonly sectionLocked: string;
  readonly sectionClosed: string;
  readonly sectionButton: string;
  readonly ribbonScreen: string;
  readonly ribbonClosed: string;
  readonly ribbonNothing: string;
  readonly ribbonElsewhere: string;
  readonly ribbonLess: string;
  readonly ribbonBy: string;
  readonly ribbonPublic: string;
  readonly ribbonAway: string;
  readonly ribbonAsPublic: string;
  readonly ribbonOwn: string;
  readonly home: string;
  readonly sentHeading: string;
  readonly sentMessage: string;
  readonly requestLabel: string;
  readonly requestWrong: string;
  readonly requestConsent: string;
  readonly requestFailed: string;
  readonly letterPassword: string;
  readonly letterLink: string;
  readonly signInHeading: string;
  readonly signInMessage: string;
  readonly signInNone: string;
  readonly signInButton: string;
  readonly hintRequest: string;
  readonly requestPassword: string;
  readonly requestLink: string;
  readonly requestNews: string;
  readonly keptHeading: string;
  readonly keptMessage: string;
  readonly letterSubject: string;
  readonly ribbonDraft: string;
  readonly sealedFile: string;
  readonly sealedPlain: string;
  readonly sealedOld: string;
  readonly sealedBroken: string;
  readonly sealedNoScript: string;
}
