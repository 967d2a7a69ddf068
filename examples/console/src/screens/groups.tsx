import { useState } from 'react';
import { colorRoles, roleNames, textKeys, type Design } from '../../../../dist/design.js';
import { call } from '../api.js';
import { Problem, useAct } from '../ui.js';
import { Blocks } from './blocks.js';
import {
  ChoiceControl,
  ColorControl,
  controlId,
  FamilyControl,
  FlagControl,
  NumberControl,
  PictureChooser,
  PositionControl,
  Row,
  TextControl,
  WidthControl,
  type Desk,
} from './controls.js';
import type { Property } from './properties.js';
import { ratioOf } from './frame.js';
import { bytesOf } from './shrink.js';
import { withValue, type Written } from './written.js';

/** The control of a property, by its kind. */
export function Control({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  switch (property.kind) {
    case 'number':
    case 'share':
      return <NumberControl property={property} desk={desk} />;
    case 'choice':
      return <ChoiceControl property={property} desk={desk} />;
    case 'flag':
      return <FlagControl property={property} desk={desk} />;
    case 'position':
      return <PositionControl property={property} desk={desk} />;
    case 'family':
      return <FamilyControl property={property} desk={desk} />;
    case 'width':
      return <WidthControl property={property} desk={desk} />;
    case 'text':
    case 'longText':
      return <TextControl property={property} desk={desk} most={mostOf(property.key)} />;
    case 'picture':
      return <BackgroundPicture property={property} desk={desk} />;
    case 'art':
      return <Art property={property} desk={desk} />;
    case 'logo':
      return <Logo property={property} desk={desk} />;
    case 'home':
      return <Home property={property} desk={desk} />;
    case 'palette':
      return <Palette property={property} desk={desk} />;
    case 'fonts':
      return <Fonts property={property} desk={desk} />;
    case 'blocks':
      return <Blocks property={property} desk={desk} />;
    case 'css':
      return <Css property={property} desk={desk} />;
    case 'address':
    case 'look':
      return null;
  }
}

const mostOf = (key: string) => textKeys[key.replace('text.', '') as keyof typeof textKeys];

const textAt = (desk: Desk, key: string): string => {
  const value = desk.valueOf(key);
  return typeof value === 'string' ? value : '';
};

interface Props {
  readonly property: Property;
  readonly desk: Desk;
}

function BackgroundPicture({ property, desk }: Props) {
  const value = textAt(desk, property.key);
  return (
    <Row
      property={property}
      desk={desk}
      note={
        value !== '' && (
          <p className="hint">
            Words that stand on a picture are judged as if it were black here and white there: whatever it shows.
          </p>
        )
      }
    >
      <PictureChooser
        id={controlId(property.key)}
        label={property.label}
        value={value}
        desk={desk}
        onChoose={(chosen) => desk.set(property.key, chosen?.picture)}
      />
    </Row>
  );
}

interface ArtValue {
  readonly picture: string;
  readonly alt?: unknown;
  readonly position?: string;
}

function Art({ property, desk }: Props) {
  const value = desk.valueOf('picture') as ArtValue | 'none' | undefined;
  const kind = value === undefined ? 'look' : value === 'none' ? 'none' : 'own';
  const [isOwn, setOwn] = useState(false);
  const picture = typeof value === 'object' ? value : undefined;
  return (
    <Row property={property} desk={desk}>
      <select
        id={controlId('picture')}
        value={isOwn && kind !== 'own' ? 'own' : kind}
        onChange={({ target }) => {
          setOwn(target.value === 'own');
          if (target.value !== 'own') desk.set('picture', target.value === 'none' ? 'none' : undefined);
        }}
      >
        <option value="look">the drawing of the look</option>
        <option value="none">none</option>
        <option value="own">a picture of your own</option>
      </select>
      {(isOwn || kind === 'own') && (
        <>
          <PictureChooser
            id={controlId('picture.picture')}
            label="The picture"
            value={picture?.picture ?? ''}
            desk={desk}
            onChoose={(chosen) => {
              if (chosen === undefined) desk.set('picture', undefined);
              else desk.set('picture', { ...picture, picture: chosen.picture, alt: picture?.alt ?? '' });
            }}
          />
          {picture !== undefined && (
            <>
              <TextControl
                property={{ key: 'picture.alt', label: 'What it shows, for those who do not see it', kind: 'text' }}
                desk={desk}
                most={200}
              />
              <PositionControl
                property={{ key: 'picture.position', label: 'Which part of it is kept', kind: 'position' }}
                desk={desk}
              />
            </>
          )}
        </>
      )}
    </Row>
  );
}

interface LogoValue {
  readonly picture: string;
  readonly width: number;
  readonly height: number;
  readonly alt?: unknown;
  readonly link?: string;
}

/** The largest a logo may be, in pixels. */
const mostOfLogo = { width: 2000, height: 400 };

/** A logo at another width, as high as that makes it. */
export function logoAt(logo: LogoValue, width: number): LogoValue {
  const ratio = ratioOf(logo.picture) ?? logo.height / logo.width;
  const fit = Math.max(8, Math.min(mostOfLogo.width, Math.round(mostOfLogo.height / ratio), Math.round(width)));
  return { ...logo, width: fit, height: Math.max(8, Math.min(mostOfLogo.height, Math.round(fit * ratio))) };
}

/** A logo at another height, as wide as that makes it. */
const logoOfHeight = (logo: LogoValue, height: number): LogoValue =>
  logoAt(logo, height / (ratioOf(logo.picture) ?? logo.height / logo.width));

function Logo({ property, desk }: Props) {
  const logo = desk.valueOf('logo') as LogoValue | undefined;
  return (
    <Row property={property} desk={desk}>
      <PictureChooser
        id={controlId('logo')}
        label="Logo"
        value={logo?.picture ?? ''}
        desk={desk}
        onChoose={(chosen) => {
          if (chosen === undefined) desk.set('logo', undefined);
          else {
            // As wide as a logo is, and not as the file happens to be.
            const next = { alt: '', ...logo, ...chosen };
            desk.set('logo', logoAt(next, logo?.width ?? Math.min(chosen.width, 180)));
          }
        }}
      />
      {logo !== undefined && (
        <>
          <TextControl
            property={{ key: 'logo.alt', label: 'What it says, for those who do not see it', kind: 'text' }}
            desk={desk}
            most={200}
          />
          <div className="number">
            <label htmlFor={controlId('logo.width')}>Width</label>
            <input
              id={controlId('logo.width')}
              type="number"
              min={8}
              max={2000}
              value={logo.width}
              onChange={(event) => desk.set('logo', logoAt(logo, Number(event.target.value) || 8))}
            />
            <span className="unit">px</span>
            <label htmlFor={controlId('logo.height')}>Height</label>
            <input
              id={controlId('logo.height')}
              type="number"
              min={8}
              max={400}
              value={logo.height}
              onChange={(event) => desk.set('logo', logoOfHeight(logo, Number(event.target.value) || 8))}
            />
            <span className="unit">px</span>
          </div>
          <p className="hint">Or draw it larger and smaller in the picture, by its corner.</p>
          <label htmlFor={controlId('logo.link')}>Where it leads</label>
          <input
            id={controlId('logo.link')}
            value={logo.link ?? ''}
            placeholder="nowhere"
            onChange={(event) => desk.set('logo.link', event.target.value === '' ? undefined : event.target.value)}
          />
        </>
      )}
    </Row>
  );
}

function Home({ property, desk }: Props) {
  const value = desk.valueOf('home') as 'none' | { readonly to: string } | undefined;
  const kind = value === undefined ? 'start' : value === 'none' ? 'none' : 'other';
  return (
    <Row property={property} desk={desk}>
      <select
        id={controlId('home')}
        value={kind}
        onChange={({ target }) =>
          desk.set('home', target.value === 'none' ? 'none' : target.value === 'other' ? { to: '/' } : undefined)
        }
      >
        <option value="start">to the start page, where that is open</option>
        <option value="other">to another address</option>
        <option value="none">none</option>
      </select>
      {typeof value === 'object' && (
        <input
          aria-label="Its address"
          value={value.to}
          onChange={(event) => desk.set('home', { to: event.target.value })}
        />
      )}
    </Row>
  );
}

const ofDrawing = new Set(['art', 'shade', 'shape', 'glow']);

function Palette({ property, desk }: Props) {
  const scheme = property.key.endsWith('dark') ? ('dark' as const) : ('light' as const);
  const idle = property.idle?.(desk.design);
  const isUsed = (role: string, { drawing, background, button, picture }: Design) =>
    ofDrawing.has(role)
      ? drawing !== undefined || (role === 'art' && typeof picture === 'object')
      : role === 'pageEnd'
        ? background.gradient !== undefined
        : role === 'buttonLine'
          ? button.border > 0
          : true;
  const failing = desk.pairs.filter((pair) => pair.scheme === scheme && pair.ratio < pair.wanted).length;
  return (
    <fieldset className="palette" data-key={property.key}>
      <legend>
        {property.label}
        {idle !== undefined ? `, not seen ${idle}` : failing > 0 ? `: ${failing} hard to read` : ''}
      </legend>
      {idle === undefined &&
        roleNames
          .filter((role) => isUsed(role, desk.design))
          .map((role) => <ColorControl key={role} role={role} scheme={scheme} about={colorRoles[role]} desk={desk} />)}
      {idle === undefined && (desk.design.ownCss !== '' || desk.design.drawing !== undefined) && (
        <p className="hint">
          {desk.design.ownCss === ''
            ? 'Where words stand before the drawing, that is not judged.'
            : 'What your own CSS changes is not judged, nor where words stand before the drawing.'}
        </p>
      )}
    </fieldset>
  );
}

interface FontValue {
  readonly family: string;
  readonly file: string;
  readonly weight?: string;
  readonly style?: string;
}

function Fonts({ property, desk }: Props) {
  const files = (desk.valueOf(property.key) as readonly FontValue[] | undefined) ?? [];
  const set = (next: readonly FontValue[]) => desk.set(property.key, next.length === 0 ? undefined : next);
  const add = useAct(async (file: File) => {
    const { path } = await call('screen.keep', { called: file.name.slice(0, 200), data: await bytesOf(file) });
    desk.onKept();
    const family =
      file.name
        .replace(/\.[a-z0-9]+$/i, '')
        .replace(/[^\w -]+/g, ' ')
        .slice(0, 60) || 'Own';
    set([...files, { family, file: path }]);
  });
  const change = (at: number, more: Partial<FontValue>) =>
    set(files.map((one, place) => (place === at ? { ...one, ...more } : one)));
  return (
    <Row property={property} desk={desk}>
      {files.map((font, at) => (
        <div className="font" key={font.file}>
          <input
            aria-label={`Name of font ${at + 1}`}
            value={font.family}
            onChange={(event) => change(at, { family: event.target.value })}
          />
          <input
            aria-label={`File of font ${at + 1}`}
            value={font.file}
            onChange={(event) => change(at, { file: event.target.value })}
          />
          <input
            aria-label={`Weights of font ${at + 1}`}
            placeholder="400, or 300 800"
            value={font.weight ?? ''}
            onChange={({ target: { value } }) => {
              set(
                files.map((one, place) =>
                  place === at
                    ? (withValue(
                        font as unknown as Written,
                        'weight',
                        value === '' ? undefined : value,
                      ) as unknown as FontValue)
                    : one,
                ),
              );
            }}
          />
          <select
            aria-label={`Slant of font ${at + 1}`}
            value={font.style ?? 'normal'}
            onChange={(event) => change(at, { style: event.target.value })}
          >
            <option value="normal">upright</option>
            <option value="italic">italic</option>
          </select>
          <button
            type="button"
            className="plain"
            aria-label={`Take ${font.family} out`}
            onClick={() => set(files.filter((_, place) => place !== at))}
          >
            out
          </button>
        </div>
      ))}
      {files.length < 4 && (
        <input
          id={controlId(property.key)}
          type="file"
          accept=".woff2,.woff,.ttf,.otf"
          aria-label="A font file"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            if (file !== undefined) void add.act(file);
            event.target.value = '';
          }}
        />
      )}
      <p className="hint">Then choose it above, among the letters.</p>
      <Problem error={add.error} />
    </Row>
  );
}

function Css({ property, desk }: Props) {
  return (
    <Row
      property={property}
      desk={desk}
      note={<p className="hint">Put behind all other. What it changes is not judged for contrast.</p>}
    >
      <textarea
        id={controlId(property.key)}
        className="code"
        rows={6}
        spellCheck={false}
        value={textAt(desk, property.key)}
        onChange={(event) => desk.set(property.key, event.target.value === '' ? undefined : event.target.value)}
      />
    </Row>
  );
}
