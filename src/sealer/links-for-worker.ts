import { escapeHtml } from '../core/screen/html.js';
import { bytesOf } from '../core/letters.js';
import { attributeOf, edited, elementsOf, type Edit } from './edited.js';

/**
 * Browsers ask no worker for what a link downloads (`<a download>`) nor for what `embed` and `object` show. In
 * the page as it is sealed the first becomes a plain link that the worker answers as a download, the others
 * frames; only where they lead to something sealed.
 *
 * @param target - the page's own address on its host
 * @param isSealed - whether an address there is
 * @returns the same bytes where nothing is to be changed
 */
export function withLinksForWorker(body: Buffer, target: string, isSealed: (address: string) => boolean): Buffer {
  const letters = body.toString('latin1');
  if (!/<(?:embed|object)\b|\bdownload\b/i.test(letters)) return body;
  const edits: Edit[] = [];
  const base = new URL(target, 'http://site.invalid').href;
  const sealedAt = (value: string | undefined) => {
    const plain = value === undefined ? undefined : Buffer.from(value, 'latin1').toString('utf8');
    if (plain === undefined || !URL.canParse(plain, base)) return false;
    const url = new URL(plain, base);
    return url.origin === 'http://site.invalid' && isSealed(url.pathname);
  };
  for (const element of elementsOf(letters)) {
    const location = element.sourceCodeLocation;
    const value = (name: string) => attributeOf(element, name);
    const startTag = location?.startTag ?? location;
    if (location === null || location === undefined || startTag === undefined || startTag === null) continue;
    const { tagName } = element;
    if (tagName === 'a' || tagName === 'area') {
      const [download, href] = [location.attrs?.['download'], location.attrs?.['href']];
      if (download === undefined || href === undefined || !sealedAt(value('href'))) continue;
      const [address = '', hash] = (value('href') ?? '').split('#', 2);
      const name = value('download') ?? '';
      const query = `${address.includes('?') ? '&' : '?'}dorlin-download${name === '' ? '' : `=${encodeURIComponent(Buffer.from(name, 'latin1').toString('utf8'))}`}`;
      edits.push(
        { start: download.startOffset, end: download.endOffset, text: '' },
        {
          start: href.startOffset,
          end: href.endOffset,
          text: `href="${escapeHtml(address + query + (hash === undefined ? '' : `#${hash}`))}"`,
        },
      );
    } else if (tagName === 'embed' || tagName === 'object') {
      const source = value(tagName === 'embed' ? 'src' : 'data');
      if (!sealedAt(source)) continue;
      const kept = ['id', 'class', 'style', 'width', 'height', 'title', 'name']
        .flatMap((name) => (value(name) === undefined ? [] : [` ${name}="${escapeHtml(value(name) ?? '')}"`]))
        .join('');
      const text = `<iframe src="${escapeHtml(source ?? '')}"${kept}></iframe>`;
      edits.push({ start: location.startOffset, end: location.endOffset, text });
    }
  }
  if (edits.length === 0) return body;
  return Buffer.from(bytesOf(edited(letters, edits)));
}
