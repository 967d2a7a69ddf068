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
  enterHeading: 'Encore un pas',
  enterMessage: 'Quelqu’un vous a envoyé un lien vers cette page. Le bouton l’ouvre.',
  endedHeading: 'Ce lien n’ouvre plus rien',
  endedMessage:
    'Il a expiré ou a été retiré. Demandez-en un nouveau à la personne qui vous l’a envoyé.',
  credentialsMessage:
    'Votre navigateur demande ici un nom d’utilisateur et un mot de passe. Rechargez la page pour qu’il vous les redemande.',
  sectionLocked: 'Cette partie est verrouillée.',
  sectionClosed: 'Cette partie est fermée.',
  sectionButton: 'Ouvrir',
  ribbonScreen: 'Le public voit ici l’écran du mot de passe.',
  ribbonClosed: 'Pour le public, cette page est fermée.',
  ribbonNothing: 'Pour le public, il n’y a rien ici.',
  ribbonElsewhere: 'D’ici, le public est envoyé ailleurs.',
  ribbonLess: 'Le public ne voit pas toute cette page.',
  ribbonBy: 'Vous entrez par : {bypass}.',
  ribbonPublic: 'Voir comme le public',
  ribbonAway: 'Ranger cette barre',
  ribbonAsPublic: 'Vous voyez ce site comme le public.',
  ribbonOwn: 'Revenir à votre vue',
  home: 'Retour à la page d’accueil',
};
