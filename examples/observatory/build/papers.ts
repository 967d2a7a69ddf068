import { PDFDocument, StandardFonts, rgb, type PDFFont, type PDFPage } from 'pdf-lib';

const ink = rgb(0.13, 0.13, 0.22);
const heather = rgb(0.44, 0.3, 0.48);
const size: [number, number] = [419.5, 595.3]; // A5, in points
const margin = 52;

interface Chapter {
  readonly title: string;
  readonly paragraphs: readonly string[];
}

const handbook: readonly Chapter[] = [
  {
    title: 'Before you open',
    paragraphs: [
      'Sign the book. Write your name, the hour, and what you mean to look at; the sky will change your mind, but we like to know where to search.',
      'Look at the sky for five minutes with nothing in your hands. If you cannot see the Little Bear, make tea instead.',
      'Read the rain gauge and empty it. Say good evening to the owl.',
    ],
  },
  {
    title: 'Opening the dome',
    paragraphs: [
      'Turn the lock-out to green. Nobody may stand on the rim while it is green.',
      'Open the slit from the top, slowly. Ice falls inwards; stand on the door side.',
      'Uncap the lens last. A lens without a cap is the only thing up here that cannot be mended.',
    ],
  },
  {
    title: 'Measuring a variable star',
    paragraphs: [
      'Find the field on the chart, then in the finder, then in the camera. If the three disagree, the chart is right and you are tired.',
      'Take ten frames of ninety seconds. Write the first and the last time in the log yourself: the computer believes it is in Lisbon.',
      'A measurement you are unsure of is still a measurement. Put a colon behind it and go on.',
    ],
  },
  {
    title: 'Closing down',
    paragraphs: [
      'Cap, park, slit, power, lock-out to red, book, door, kettle. In that order, each night, aloud.',
      'If there is frost on the mirror, leave it. It goes by itself in the morning; your sleeve would cost us three years.',
    ],
  },
  {
    title: 'When something is wrong',
    paragraphs: [
      'If in doubt, close. No star is worth a wet mirror.',
      'The dome can be turned by hand: the crank hangs behind the door. It takes eleven minutes and most of your breath.',
      'Write down what happened before you forget how it sounded.',
    ],
  },
];

function wrapped(text: string, font: PDFFont, points: number, width: number): string[] {
  const lines: string[] = [];
  let line = '';
  for (const word of text.split(' ')) {
    const longer = line === '' ? word : `${line} ${word}`;
    if (font.widthOfTextAtSize(longer, points) <= width) line = longer;
    else {
      lines.push(line);
      line = word;
    }
  }
  return [...lines, line];
}

async function newDocument(title: string): Promise<{ document: PDFDocument; serif: PDFFont; bold: PDFFont }> {
  const document = await PDFDocument.create();
  document.setTitle(title);
  document.setAuthor('Kestrelmoor Observatory');
  // Without a fixed date every build would make another file.
  document.setCreationDate(new Date('2026-11-01T12:00:00Z'));
  document.setModificationDate(new Date('2026-11-01T12:00:00Z'));
  const serif = await document.embedFont(StandardFonts.TimesRoman);
  return { document, serif, bold: await document.embedFont(StandardFonts.TimesRomanBold) };
}

/** The members' handbook: a cover and a page for each chapter. */
export async function handbookPdf(): Promise<Uint8Array> {
  const { document, serif, bold } = await newDocument('Members’ handbook');
  const cover = document.addPage(size);
  cover.drawRectangle({ x: 0, y: 0, width: size[0], height: size[1], color: rgb(0.09, 0.1, 0.18) });
  cover.drawEllipse({
    x: size[0] / 2,
    y: 300,
    xScale: 92,
    yScale: 92,
    color: rgb(0.81, 0.83, 0.85),
  });
  cover.drawRectangle({ x: 100, y: 170, width: 220, height: 130, color: rgb(0.23, 0.25, 0.34) });
  const pale = rgb(0.95, 0.92, 0.84);
  cover.drawText('Members’ handbook', { x: margin, y: 480, size: 29, font: bold, color: pale });
  cover.drawText('Kestrelmoor Observatory, season 2026', {
    x: margin,
    y: 452,
    size: 13,
    font: serif,
    color: pale,
  });
  handbook.forEach(({ title, paragraphs }, at) => {
    const page: PDFPage = document.addPage(size);
    page.drawText(title, { x: margin, y: 500, size: 21, font: bold, color: heather });
    let y = 464;
    for (const paragraph of paragraphs) {
      for (const line of wrapped(paragraph, serif, 12, size[0] - 2 * margin)) {
        page.drawText(line, { x: margin, y, size: 12, font: serif, color: ink });
        y -= 17;
      }
      y -= 10;
    }
    page.drawText(String(at + 2), {
      x: size[0] - margin,
      y: 36,
      size: 10,
      font: serif,
      color: ink,
    });
  });
  return document.save({ useObjectStreams: false });
}

/** The star wheel: a ring of months to cut out, and how to use it. */
export async function starWheelPdf(): Promise<Uint8Array> {
  const { document, serif, bold } = await newDocument('Star wheel');
  const page = document.addPage(size);
  const [x, y] = [size[0] / 2, 300];
  for (const radius of [168, 146, 6]) {
    page.drawEllipse({ x, y, xScale: radius, yScale: radius, borderColor: ink, borderWidth: 1.2 });
  }
  const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
  months.forEach((month, at) => {
    const angle = (Math.PI / 6) * at;
    page.drawLine({
      start: { x: x + Math.cos(angle) * 146, y: y + Math.sin(angle) * 146 },
      end: { x: x + Math.cos(angle) * 168, y: y + Math.sin(angle) * 168 },
      color: heather,
    });
    const middle = angle + Math.PI / 12;
    page.drawText(month, {
      x: x + Math.cos(middle) * 156 - 8,
      y: y + Math.sin(middle) * 156 - 3,
      size: 8,
      font: serif,
      color: ink,
    });
  });
  page.drawText('Star wheel', { x: margin, y: 530, size: 24, font: bold, color: heather });
  page.drawText('Cut along the outer ring. Pin the middle to card. Turn to tonight.', {
    x: margin,
    y: 84,
    size: 11,
    font: serif,
    color: ink,
  });
  return document.save({ useObjectStreams: false });
}
