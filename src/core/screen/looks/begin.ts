import type { LookName } from './names.js';

type ByLanguage = Readonly<Record<string, string>>;

const soon: ByLanguage = {
  en: 'Opening soon',
  fr: 'Ouverture prochaine',
  de: 'Bald geöffnet',
  es: 'Abrimos pronto',
  pt: 'Abrimos em breve',
  pl: 'Wkrótce otwieramy',
  ar: 'نفتح قريبًا',
  ja: 'まもなく公開します',
};
const getting: ByLanguage = {
  en: 'We are getting this ready. Leave your address, and we write once, on the day.',
  fr: 'Nous préparons tout. Laissez votre adresse : nous vous écrirons une seule fois, le jour venu.',
  de: 'Wir bereiten alles vor. Hinterlassen Sie Ihre Adresse, und wir schreiben einmal, am Tag selbst.',
  es: 'Lo estamos preparando. Deje su dirección y le escribiremos una sola vez, ese día.',
  pt: 'Estamos a preparar tudo. Deixe o seu endereço e escrevemos uma só vez, no dia.',
  pl: 'Przygotowujemy wszystko. Zostaw swój adres, a napiszemy raz, w dniu otwarcia.',
  ar: 'نحن نجهّز كل شيء. اترك عنوانك وسنكتب إليك مرة واحدة، في اليوم نفسه.',
  ja: 'ただいま準備中です。アドレスを残していただければ、当日に一度だけご連絡します。',
};
const agreed: ByLanguage = {
  en: 'Write to me once when this opens. My address is used for nothing else.',
  fr: 'Écrivez-moi une fois, à l’ouverture. Mon adresse ne sert à rien d’autre.',
  de: 'Schreiben Sie mir einmal, wenn geöffnet wird. Meine Adresse dient keinem anderen Zweck.',
  es: 'Escríbanme una vez, cuando se abra. Mi dirección no se usa para nada más.',
  pt: 'Escrevam-me uma vez, quando abrir. O meu endereço não serve para mais nada.',
  pl: 'Napiszcie do mnie raz, przy otwarciu. Mój adres nie posłuży do niczego innego.',
  ar: 'اكتبوا إليّ مرة واحدة عند الافتتاح. لا يُستخدم عنواني لأي شيء آخر.',
  ja: '公開時に一度だけ連絡してください。アドレスはほかの目的には使われません。',
};

/** A text in those of its languages that a site speaks; as one text, where that is one. */
function spoken(texts: ByLanguage, languages: readonly string[]): string | ByLanguage {
  const found = languages.flatMap((tag) => {
    const text = texts[tag.toLowerCase().split('-')[0] ?? ''];
    return text === undefined ? [] : [[tag, text] as const];
  });
  const [first] = found;
  if (first === undefined) return texts['en'] ?? '';
  return found.length === 1 ? first[1] : Object.fromEntries(found);
}

/**
 * What a screen that starts from a look has at first, as it is written in a policy.
 *
 * @param languages - those of the site (BCP 47)
 */
export function beginning(look: LookName, languages: readonly string[]): Readonly<Record<string, unknown>> {
  if (look !== 'daybreak') return { look };
  const [heading, message] = [spoken(soon, languages), spoken(getting, languages)];
  return {
    look,
    text: { heading, message, closedHeading: heading, closedMessage: message },
    above: [{ countdown: 'end' }],
    below: [{ request: { gives: 'nothing', consent: spoken(agreed, languages) } }],
  };
}
