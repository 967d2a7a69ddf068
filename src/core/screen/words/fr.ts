import type { ScreenWords } from './type.js';

export const fr: ScreenWords = {
  heading: 'Cette page est verrouillée',
  message: 'Saisissez le mot de passe reçu, et elle s’ouvre.',
  label: 'Mot de passe',
  show: 'Afficher',
  hide: 'Masquer',
  stay: 'Garder ouvert sur cet appareil pendant {span}',
  button: 'Ouvrir la page',
  hint: 'Vous n’en avez pas reçu ? Vous n’avez rien oublié : cette page n’est pas publique.',
  wrong:
    'Ce n’est pas le bon mot de passe. Vérifiez l’orthographe et les majuscules, puis réessayez.',
  wait: 'Il y a eu trop d’essais. Patientez {span}, puis réessayez.',
  closedHeading: 'Cette page est fermée',
  closedMessage: 'Elle n’est pas ouverte aux visiteurs. Aucun mot de passe n’est à connaître.',
  opens: 'Elle ouvre le {date}.',
  home: 'Retour à la page d’accueil',
};
