import type { Random } from './random.js';

const words = (text: string) => text.split(' ');

const tags = words(
  'div p b i a span h1 ul li dl dt table tbody thead tr td th caption colgroup select option optgroup template svg ' +
    'g foreignObject desc math mi mtext annotation-xml button form label nobr ruby rt textarea title style noscript ' +
    'center details summary pre font em section article header main nav fieldset legend blockquote iframe object ' +
    'marquee s strong code u small big tt input img br hr wbr dialog slot frameset body html head base link meta',
);
/** Most pages are made of these. */
const plain = words('div p b a span ul li section h2 table tr td form label em strong');

const attributes = [
  '',
  '',
  ' class="a > b"',
  " title='<p id=locked>'",
  ' hidden',
  ' lang=en',
  ' type=hidden',
  ' shadowrootmode=open',
  ' encoding="text/html"',
  ' color=red size=2',
  ' srcdoc="<p>text</p>"',
  ' /',
  ' x=1 x=2',
];
const ids = [
  'id=locked',
  'ID="locked"',
  'id="lock&#101;d"',
  "id='locked' id=other",
  'data-dorlin-lock=walk',
  'DATA-Dorlin-LOCK = " walk "',
  'id=other data-dorlin-lock="walk" class=x',
];
const oddities = [
  '<!-- a <p id=locked> --!>',
  '<![CDATA[ <p> ]]>',
  '<?php echo 1 ?>',
  '</>',
  '< p id=locked>',
  '&lt;p id=locked&gt;',
  '&amp',
  '&notit;',
  '\r\n\t',
  '<script>document.title = "<!--<script>"</script>',
  '<style>p > a { color: red }</style>',
  '</p>',
  '</br>',
  '</body>',
  '</html>',
  '\u00a0é—𝕏',
];

/** What was put into selects before browsers kept it there, and what they keep today. */
const selects = [
  '<select><table>',
  '<select><object>',
  '<select><title>',
  '<select><b>',
  '<select></form>',
  '<select><option>',
  '<select><option>x</select>',
  '<select><button><selectedcontent></selectedcontent></button><option>x</option></select>',
  '<select><div id=locked>',
  '<select><optgroup><option>x</optgroup></b></select>',
  '<select><hr></option></select>',
  '<select><template><p>',
  '</select>',
];

/**
 * A page of tags in any order, with a word of its own (`canary7x`) in every place where there can be
 * one. Now and then an element is the section: by the id `locked`, or by the mark `walk`.
 */
export function soup(random: Random): string {
  let number = 0;
  const one = <T>(list: readonly T[]) => list[random.below(list.length)] as T;
  const word = () => `canary${number++}x`;
  const isPlain = random.below(3) > 0;
  const tag = () => one(isPlain && random.below(8) > 0 ? plain : tags);
  const open: string[] = [];
  const pieces: string[] = [];
  const count = 2 + random.below(24);
  for (let at = 0; at < count; at++) {
    const kind = random.below(12);
    if (kind < 5) {
      const name = tag();
      open.push(name);
      pieces.push(`<${name}${one(attributes)} title=${word()}>${word()}`);
    } else if (kind < 7) {
      const name = tag();
      open.push(name);
      pieces.push(`<${name} ${one(ids)} title=${word()}>${word()}`);
    } else if (kind < 10) {
      // Mostly what is open, as in pages that were meant well.
      const name = (random.below(4) > 0 ? open.pop() : undefined) ?? tag();
      pieces.push(`</${name}>${word()}`);
    } else if (kind === 10) pieces.push(one(random.below(4) === 0 ? selects : oddities) + word());
    else pieces.push(`<!--${word()}-->${word()}`);
  }
  if (random.below(3) === 0) while (open.length > 0) pieces.push(`</${open.pop() ?? ''}>`);
  return torn(pieces.join(''), random);
}

/** Elements with rules of their own, and letters that parsers trip over. */
const strange = words(
  'plaintext xmp listing image keygen applet rb rtc rp dir menu noembed noframes search picture source audio svg ' +
    'title foreignObject mglyph malignmark annotation-xml table tbody select template frameset body html head',
);
const letters = [
  '\0',
  '\r',
  '\r\n',
  '\ufeff',
  '<!doctype html>',
  '<![CDATA[x',
  '<!--',
  '-->',
  "<a b='",
  '"',
  "'>",
  '&',
  '&#0;',
  '&#x110000;',
  '<p/>',
  '</',
  '<',
  '\ud800',
  '\u{1f600}',
];

/** Now and then something strange at any place, within tags and words as well. */
function torn(text: string, random: Random): string {
  let made = text;
  for (let count = Math.max(0, random.below(6) - 2); count > 0; count--) {
    const at = random.below(made.length);
    const tag = strange[random.below(strange.length)] ?? '';
    const letter = letters[random.below(letters.length)] ?? '';
    const piece = random.chance() ? letter : random.chance() ? `<${tag}>` : `</${tag}>`;
    made = made.slice(0, at) + piece + made.slice(at);
  }
  return made;
}

/** The words of a text that stand for its content. */
export const canariesIn = (text: string): string[] => text.match(/canary\d+x/g) ?? [];
