import { Resvg } from '@resvg/resvg-js';
import { seeded } from './random.js';

const night = '#171a2e';
const deep = '#0f1122';
const heather = '#7d5a86';
const bracken = '#b4652e';
const star = '#f3ead7';

const tag = (name: string, attributes: Record<string, string | number>, inside = '') => {
  const written = Object.entries(attributes).map(([key, value]) => ` ${key}="${value}"`);
  return `<${name}${written.join('')}>${inside}</${name}>`;
};

const svg = (width: number, height: number, inside: string) =>
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}">${inside}</svg>`;

function stars(count: number, width: number, height: number, random: () => number): string {
  return Array.from({ length: count }, () => {
    const bright = random() ** 4;
    return tag('circle', {
      cx: (random() * width).toFixed(1),
      cy: (random() * height).toFixed(1),
      r: (0.5 + bright * 2.1).toFixed(2),
      fill: random() < 0.12 ? '#f2c79b' : star,
      opacity: (0.35 + 0.65 * random()).toFixed(2),
    });
  }).join('');
}

/** A hill line from left to right, closed below. */
function hills(width: number, top: number, rise: number, bottom: number, random: () => number) {
  const steps = 9;
  const points = Array.from({ length: steps + 1 }, (_, at) => [(width * at) / steps, top + (random() - 0.5) * rise]);
  let path = `M0 ${bottom}L0 ${points[0]?.[1]?.toFixed(0) ?? top}`;
  points.slice(1).forEach(([x = 0, y = 0], at) => {
    const [beforeX = 0, beforeY = 0] = points[at] ?? [];
    const middle = ((x + beforeX) / 2).toFixed(0);
    path += `C${middle} ${beforeY.toFixed(0)} ${middle} ${y.toFixed(0)} ${x.toFixed(0)} ${y.toFixed(0)}`;
  });
  return `${path}L${width} ${bottom}Z`;
}

/** The dome on its drum with the slit open; `x` is its middle and `base` its foot. */
function dome(x: number, base: number, size: number, isLit: boolean): string {
  const half = size / 2;
  const drum = size * 0.34;
  const rim = base - drum;
  const shell = `M${x - half} ${rim}a${half} ${half} 0 0 1 ${size} 0z`;
  const slit = `M${x + size * 0.06} ${rim}L${x + size * 0.06} ${rim - half * 0.995}A${half} ${half} 0 0 1 ${x + size * 0.27} ${rim - half * 0.84}L${x + size * 0.22} ${rim}z`;
  return [
    tag('path', { d: shell, fill: '#cfd3d8' }),
    tag('path', {
      d: `M${x - half} ${rim}a${half} ${half} 0 0 1 ${half * 0.7} ${-half * 0.954}L${x - half * 0.3} ${rim}z`,
      fill: '#aab0ba',
    }),
    tag('path', { d: slit, fill: isLit ? '#c8392b' : deep }),
    tag('rect', { x: x - half - 4, y: rim, width: size + 8, height: 7, fill: '#8c93a0' }),
    tag('rect', { x: x - half, y: rim + 7, width: size, height: drum - 7, fill: '#3b3f57' }),
    tag('rect', {
      x: x - size * 0.09,
      y: base - drum * 0.72,
      width: size * 0.18,
      height: drum * 0.72,
      fill: isLit ? '#8e2a22' : deep,
    }),
  ].join('');
}

function moorByNight(): string {
  const random = seeded(1911);
  const sky = `<defs><linearGradient id="s" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="${deep}"/><stop offset=".62" stop-color="#2b2a4c"/><stop offset="1" stop-color="#6b4a6f"/></linearGradient></defs><rect width="1600" height="720" fill="url(#s)"/>`;
  const band = Array.from({ length: 420 }, () => {
    const along = random();
    const x = along * 1500 + (random() - 0.5) * 190;
    const y = 560 - along * 560 + (random() - 0.5) * 170;
    return tag('circle', {
      cx: x.toFixed(1),
      cy: y.toFixed(1),
      r: (random() * 1.1 + 0.2).toFixed(2),
      fill: star,
      opacity: (random() * 0.5).toFixed(2),
    });
  }).join('');
  return svg(
    1600,
    720,
    [
      sky,
      band,
      stars(260, 1600, 560, random),
      tag('path', { d: hills(1600, 540, 70, 720, random), fill: '#3a2d4f' }),
      dome(1130, 596, 190, true),
      tag('rect', { x: 1250, y: 556, width: 96, height: 40, fill: '#2a2740' }),
      tag('path', { d: 'M1240 558l58-34 58 34z', fill: '#221f36' }),
      tag('rect', { x: 1284, y: 570, width: 14, height: 12, fill: '#f2b155' }),
      tag('path', { d: hills(1600, 604, 46, 720, random), fill: '#241d38' }),
      tag('path', { d: hills(1600, 655, 38, 720, random), fill: '#171327' }),
    ].join(''),
  );
}

interface Figure {
  readonly name: string;
  readonly seed: number;
  readonly points: readonly (readonly [number, number, number])[];
  readonly lines: readonly (readonly [number, number])[];
}

const figures: readonly Figure[] = [
  {
    name: 'hunter',
    seed: 5,
    points: [
      [300, 130, 5],
      [480, 150, 4],
      [360, 290, 3.6],
      [396, 300, 3.6],
      [432, 310, 3.6],
      [320, 450, 4],
      [490, 440, 5.4],
      [392, 80, 2.6],
    ],
    lines: [
      [0, 2],
      [1, 4],
      [2, 3],
      [3, 4],
      [2, 5],
      [4, 6],
      [5, 6],
      [0, 1],
      [0, 7],
      [1, 7],
    ],
  },
  {
    name: 'plough',
    seed: 8,
    points: [
      [130, 210, 4.2],
      [240, 190, 4],
      [330, 240, 4],
      [420, 290, 3],
      [440, 400, 4.2],
      [610, 410, 4.4],
      [620, 270, 4.6],
    ],
    lines: [
      [0, 1],
      [1, 2],
      [2, 3],
      [3, 4],
      [4, 5],
      [5, 6],
      [6, 3],
    ],
  },
  {
    name: 'chair',
    seed: 12,
    points: [
      [150, 220, 4],
      [280, 380, 4.4],
      [400, 260, 4.6],
      [520, 370, 3.8],
      [640, 230, 3.6],
    ],
    lines: [
      [0, 1],
      [1, 2],
      [2, 3],
      [3, 4],
    ],
  },
];

function chart({ seed, points, lines }: Figure): string {
  const random = seeded(seed);
  const grid = [150, 300, 450].map((y) =>
    tag('path', {
      d: `M30 ${y}Q390 ${y - 46} 750 ${y}`,
      fill: 'none',
      stroke: '#4a4a78',
      'stroke-width': 1,
      'stroke-dasharray': '2 6',
    }),
  );
  const across = [180, 390, 600].map((x) =>
    tag('path', {
      d: `M${x} 24L${390 + (x - 390) * 1.18} 576`,
      fill: 'none',
      stroke: '#4a4a78',
      'stroke-width': 1,
      'stroke-dasharray': '2 6',
    }),
  );
  const joined = lines.map(([from, to]) => {
    const [x1, y1] = points[from] ?? [0, 0];
    const [x2, y2] = points[to] ?? [0, 0];
    return tag('line', { x1, y1, x2, y2, stroke: '#c9a4cf', 'stroke-width': 1.4, opacity: 0.75 });
  });
  const drawn = points.map(
    ([cx, cy, r]) =>
      tag('circle', { cx, cy, r, fill: star }) + tag('circle', { cx, cy, r: r * 2.3, fill: star, opacity: 0.13 }),
  );
  return svg(
    780,
    600,
    [
      tag('rect', { width: 780, height: 600, fill: night }),
      ...grid,
      ...across,
      stars(170, 780, 600, random),
      ...joined,
      ...drawn,
      tag('rect', {
        x: 14,
        y: 14,
        width: 752,
        height: 572,
        fill: 'none',
        stroke: '#6d5a86',
        'stroke-width': 1.5,
      }),
    ].join(''),
  );
}

function domeDrawing(): string {
  const rays = Array.from({ length: 11 }, (_, at) => {
    const angle = Math.PI * (1 + at / 10);
    return tag('line', {
      x1: 390,
      y1: 380,
      x2: (390 + Math.cos(angle) * 236).toFixed(1),
      y2: (380 + Math.sin(angle) * 236).toFixed(1),
      stroke: heather,
      'stroke-width': 1.2,
      opacity: 0.55,
    });
  });
  return svg(
    780,
    600,
    [
      tag('rect', { width: 780, height: 600, fill: '#f1ebe0' }),
      tag('path', {
        d: 'M154 380a236 236 0 0 1 472 0z',
        fill: '#fbf8f1',
        stroke: '#3b3f57',
        'stroke-width': 3,
      }),
      ...rays,
      tag('rect', { x: 140, y: 380, width: 500, height: 16, fill: '#3b3f57' }),
      tag('rect', {
        x: 166,
        y: 396,
        width: 448,
        height: 124,
        fill: '#fbf8f1',
        stroke: '#3b3f57',
        'stroke-width': 3,
      }),
      tag('path', {
        d: 'M300 520V404M390 520V404M480 520V404',
        stroke: heather,
        'stroke-width': 1.2,
        opacity: 0.5,
      }),
      tag('path', {
        d: 'M360 520l26-150 120-170 34 24-118 170-14 126z',
        fill: 'none',
        stroke: bracken,
        'stroke-width': 4,
        'stroke-linejoin': 'round',
      }),
      tag('path', {
        d: 'M120 550h540M154 540v20M626 540v20',
        stroke: '#3b3f57',
        'stroke-width': 1.5,
        fill: 'none',
      }),
    ].join(''),
  );
}

/** A drawing as made at the eyepiece: a round field on brown paper. */
function sketch(inside: string): string {
  return svg(
    600,
    600,
    [
      tag('rect', { width: 600, height: 600, fill: '#e7dcc8' }),
      tag('circle', { cx: 300, cy: 300, r: 236, fill: '#23212f' }),
      inside,
      tag('circle', {
        cx: 300,
        cy: 300,
        r: 236,
        fill: 'none',
        stroke: '#5d4a3a',
        'stroke-width': 3,
      }),
    ].join(''),
  );
}

function sketches(): Record<string, string> {
  const random = seeded(77);
  const moonlet = Array.from({ length: 26 }, () =>
    tag('circle', {
      cx: (165 + random() * 118).toFixed(0),
      cy: (190 + random() * 220).toFixed(0),
      r: (3 + random() * 15).toFixed(1),
      fill: '#a8a293',
      opacity: 0.5,
    }),
  );
  const cluster = Array.from({ length: 240 }, () => {
    const far = random() ** 1.9 * 190;
    const angle = random() * Math.PI * 2;
    return tag('circle', {
      cx: (300 + Math.cos(angle) * far).toFixed(1),
      cy: (300 + Math.sin(angle) * far).toFixed(1),
      r: (0.7 + random() * 2).toFixed(2),
      fill: star,
    });
  });
  return {
    'first-quarter': sketch(tag('path', { d: 'M300 130a170 170 0 0 0 0 340z', fill: '#d8d2c2' }) + moonlet.join('')),
    'striped-planet': sketch(
      tag('ellipse', { cx: 300, cy: 300, rx: 128, ry: 120, fill: '#dcc7a3' }) +
        [236, 268, 318, 352]
          .map((y, at) =>
            tag('ellipse', {
              cx: 300,
              cy: y,
              rx: 118 - Math.abs(300 - y) * 0.55,
              ry: 8 + at,
              fill: '#9c6f48',
              opacity: 0.6,
            }),
          )
          .join('') +
        [
          [96, 296],
          [148, 304],
          [478, 297],
        ]
          .map(([cx = 0, cy = 0]) => tag('circle', { cx, cy, r: 4, fill: star }))
          .join(''),
    ),
    'round-cluster': sketch(cluster.join('')),
    'ringed-planet': sketch(
      tag('ellipse', {
        cx: 300,
        cy: 300,
        rx: 178,
        ry: 52,
        fill: 'none',
        stroke: '#d9c596',
        'stroke-width': 17,
        transform: 'rotate(-14 300 300)',
      }) +
        tag('circle', { cx: 300, cy: 300, r: 82, fill: '#ddc99b' }) +
        tag('path', {
          d: 'M126 343A178 52 -14 0 0 473 257',
          fill: 'none',
          stroke: '#d9c596',
          'stroke-width': 17,
        }),
    ),
  };
}

/** Every picture of the site by its path, as text (SVG) or bytes (PNG). */
export function pictures(): Map<string, string | Uint8Array> {
  const made = new Map<string, string | Uint8Array>([
    ['pictures/moor-by-night.svg', moorByNight()],
    ['pictures/dome-drawing.svg', domeDrawing()],
    ...figures.map((figure) => [`pictures/chart-${figure.name}.svg`, chart(figure)] as const),
  ]);
  for (const [name, drawing] of Object.entries(sketches())) {
    made.set(
      `members/pictures/${name}.png`,
      new Resvg(drawing, { fitTo: { mode: 'width', value: 720 } }).render().asPng(),
    );
  }
  return made;
}
