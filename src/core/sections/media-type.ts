const usual = new Set([
  'text/html',
  ...['utf-8', 'UTF-8'].flatMap((name) => [`text/html;charset=${name}`, `text/html; charset=${name}`]),
]);

/**
 * What a browser may take an answer for by its `Content-Type`. One that is missing, written twice
 * or no type at all is taken for HTML, as browsers look into the content then (MIME Sniffing).
 */
export function pageKind(contentType: string): 'html' | 'xml' | undefined {
  // As nearly all pages and pictures have it.
  if (usual.has(contentType)) return 'html';
  const type = (contentType.split(';', 1)[0] ?? '').trim().toLowerCase();
  if (type.includes('text/html') || !/^[a-z0-9.+-]+\/[a-z0-9.+-]+$/.test(type)) return 'html';
  if (type === 'unknown/unknown' || type === 'application/unknown') return 'html';
  // Parts of a page are a page, whatever they are parts of (RFC 9110 section 14.6).
  if (type === 'multipart/byteranges') return 'html';
  return /[/+]xml$/.test(type) ? 'xml' : undefined;
}
