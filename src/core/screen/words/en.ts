import type { ScreenWords } from './type.js';

export const en: ScreenWords = {
  heading: 'This page is locked',
  message: 'Enter the password you were given, and it opens.',
  label: 'Password',
  show: 'Show',
  hide: 'Hide',
  stay: 'Stay unlocked on this device for {span}',
  button: 'Open the page',
  hint: 'Were you given none? Then you have forgotten nothing: this page is not for the public.',
  wrong: 'That is not the password. Check the spelling and the capital letters, and try again.',
  wait: 'There were too many tries. Please wait {span}, then try again.',
  closedHeading: 'This page is closed',
  closedMessage: 'It is not open to visitors. There is no password you would need to know.',
  opens: 'It opens on {date}.',
  enterHeading: 'One more step',
  enterMessage: 'Somebody sent you a link to this page. Press the button, and it opens.',
  endedHeading: 'This link opens nothing any more',
  endedMessage: 'It has ended or was taken back. Ask whoever sent it to you for a new one.',
  credentialsMessage:
    'Your browser asks for a user name and a password here. To be asked again, reload the page.',
  sectionLocked: 'This part is locked.',
  sectionClosed: 'This part is closed.',
  sectionButton: 'Open it',
  home: 'Back to the start page',
};
