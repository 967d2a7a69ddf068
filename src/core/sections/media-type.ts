const usual = new Set([
  'text/html',
  ...['utf-8', 'UTF-8'].flatMap((name) => [`text/html;charset=${name}`, `text/html; charset=${name}`]),
]);

/**
 * Whether a header `Content-Type` says nothing for certain: there is none, there are two, it is no type, or it is
 * one of those by which browsers look into the content (MIME Sniffing standard section 7).
 */
export function isUnknownType(contentType: string): boolean {
  const type = (contentType.split(';', 1)[0] ?? '').trim().toLowerCase();
  return !/^[a-z0-9.+-]+\/[a-z0-9.+-]+$/.test(type) || type === 'unknown/unknown' || type === 'application/unknown';
}

/**
 * What a browser may take an answer for by its `Content-Type`. One that is missing, written twice
 * or no type at all is taken for HTML, as browsers look into the content then (MIME Sniffing).
 */
export function pageKind(contentType: string): 'html' | 'xml' | undefined {
  // As nearly all pages and pictures have it.
  if (usual.has(contentType)) return 'html';
  const type = (contentType.split(';', 1)[0] ?? '').trim().toLowerCase();
  if (type.includes('text/html') || isUnknownType(contentType)) return 'html';
  // Parts of a page are a page, whatever they are parts of (RFC 9110 section 14.6).
  if (type === 'multipart/byteranges') return 'html';
  return /[/+]xml$/.test(type) ? 'xml' : undefined;
}
