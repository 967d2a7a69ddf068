import type { ScreenWords } from './type.js';

export const de: ScreenWords = {
  heading: 'Diese Seite ist verschlossen',
  message: 'Geben Sie das Passwort ein, das Sie erhalten haben, und sie öffnet sich.',
  label: 'Passwort',
  show: 'Zeigen',
  hide: 'Verbergen',
  stay: 'Auf diesem Gerät {span} lang offen lassen',
  button: 'Seite öffnen',
  hint: 'Sie haben keines erhalten? Dann haben Sie nichts vergessen: Diese Seite ist nicht öffentlich.',
  wrong:
    'Das ist nicht das Passwort. Prüfen Sie Schreibweise und Großbuchstaben und versuchen Sie es noch einmal.',
  wait: 'Das waren zu viele Versuche. Bitte warten Sie {span} und versuchen Sie es dann noch einmal.',
  closedHeading: 'Diese Seite ist geschlossen',
  closedMessage:
    'Sie ist für Besucher nicht geöffnet. Es gibt kein Passwort, das Sie wissen müssten.',
  opens: 'Sie öffnet am {date}.',
  enterHeading: 'Noch ein Schritt',
  enterMessage: 'Jemand hat Ihnen einen Link zu dieser Seite geschickt. Der Knopf öffnet sie.',
  endedHeading: 'Dieser Link öffnet nichts mehr',
  endedMessage:
    'Er ist abgelaufen oder wurde zurückgenommen. Bitten Sie die Person, die ihn geschickt hat, um einen neuen.',
  credentialsMessage:
    'Ihr Browser fragt hier nach Benutzername und Passwort. Laden Sie die Seite neu, um wieder gefragt zu werden.',
  sectionLocked: 'Dieser Teil ist verschlossen.',
  sectionClosed: 'Dieser Teil ist geschlossen.',
  sectionButton: 'Öffnen',
  ribbonScreen: 'Die Öffentlichkeit sieht hier die Passwortabfrage.',
  ribbonClosed: 'Für die Öffentlichkeit ist diese Seite geschlossen.',
  ribbonNothing: 'Der Öffentlichkeit wird gesagt, dass hier nichts ist.',
  ribbonElsewhere: 'Die Öffentlichkeit wird von hier weitergeleitet.',
  ribbonLess: 'Die Öffentlichkeit sieht nicht die ganze Seite.',
  ribbonBy: 'Sie sind hier durch: {bypass}.',
  ribbonPublic: 'So sehen wie die Öffentlichkeit',
  ribbonAway: 'Diese Leiste wegräumen',
  ribbonAsPublic: 'Sie sehen diese Website wie die Öffentlichkeit.',
  ribbonOwn: 'Zurück zur eigenen Ansicht',
  home: 'Zurück zur Startseite',
  sentHeading: 'Es ist unterwegs',
  sentMessage:
    'Eine E-Mail ist unterwegs an {address}. Es kann eine Minute dauern; sehen Sie auch bei unerwünschter Post nach.',
  requestLabel: 'Ihre E-Mail-Adresse',
  requestWrong: 'Das ist keine E-Mail-Adresse. Sie sieht aus wie name@example.org.',
  requestConsent: 'Bitte haken Sie dies zuerst an: Sonst wird nichts verschickt.',
  requestFailed:
    'Die E-Mail konnte nicht verschickt werden. Bitte versuchen Sie es später noch einmal.',
  letterPassword: 'Das Passwort lautet: {secret}\n\nEs öffnet {address}',
  letterLink: 'Dieser Link öffnet die Seite, ohne Passwort:\n{secret}',
  signInHeading: 'Bitte anmelden',
  signInMessage: 'Diese Seite ist für Angemeldete. Ein Passwort gibt es für sie nicht.',
  signInNone:
    'Diese Seite ist für Menschen, die die Website kennt. Ein Passwort gibt es für sie nicht.',
  signInButton: 'Anmelden',
  hintRequest:
    'Sie haben keines bekommen? Hinterlassen Sie unten Ihre Adresse, dann wird es Ihnen geschickt.',
  requestPassword: 'Passwort zuschicken',
  requestLink: 'Link zuschicken',
  requestNews: 'Benachrichtigen',
  keptHeading: 'Vielen Dank',
  keptMessage: 'Wir haben {address} notiert und schreiben Ihnen, sobald es Neues gibt.',
  letterSubject: '{site}: der Zugang zu {place}',
  ribbonDraft: 'Änderungen an den Schlössern warten in einem Entwurf.',
};
