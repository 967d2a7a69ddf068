/**
 * Every text of the screen, in one language. `{span}` in `stay` and `wait` becomes the time, `{date}` in
 * `opens` the day and hour.
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
  readonly credentialsMessage: string;
  readonly sectionLocked: string;
  readonly sectionClosed: string;
  readonly sectionButton: string;
  readonly home: string;
}
