/** A page of some 13 kB with a locked section in its middle. */
const paragraph = (at: number) =>
  `<p class="text">Paragraph ${at} of a page of ordinary length, with <a href="/${at}">a link</a> in it.</p>\n`;
const paragraphs = Array.from({ length: 120 }, (_, at) => paragraph(at));
paragraphs.splice(60, 0, '<section id="walk"><h2>Where we meet</h2><p>At the ninth stone.</p></section>');
export const pageWithSection = `<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>Events</title></head>\n<body>\n${paragraphs.join('')}</body></html>\n`;
