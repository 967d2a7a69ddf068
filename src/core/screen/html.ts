const entities: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

/** Text as it may stand in HTML text and in quoted attributes. */
export function escapeHtml(text: string): string {
  return /[&<>"']/.test(text) ? text.replace(/[&<>"']/g, (sign) => entities[sign] ?? sign) : text;
}
