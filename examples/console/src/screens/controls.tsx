import { useId, useRef, useState, type ReactNode } from 'react';
import {
  families,
  nearestPassing,
  positions,
  readColor,
  screenJsonSchema,
  type Color,
  type Design,
  type Pair,
} from '../../../../dist/design.js';
import { call } from '../api.js';
import { plain, Problem, useAct } from '../ui.js';
import { languageName, languagesWords } from './language-words.js';
import { choiceWords, type Property } from './properties.js';
import { shrunk } from './shrink.js';
import { textIn, untranslated, withText, type Written as WrittenText } from './texts.js';

/** What all controls of the designer share. */
export interface Desk {
  readonly design: Design;
  readonly valueOf: (key: string) => unknown;
  readonly set: (key: string, value: unknown) => void;
  readonly problems: ReadonlyMap<string, string>;
  readonly pairs: readonly Pair[];
  /** The language in which texts are written just now, the site’s, and its own. */
  readonly language: string;
  readonly languages: readonly string[];
  readonly ownTag: string;
  /** What is said where nothing of one’s own is, by the key of a text. */
  readonly builtIn: (key: string) => string;
  /** Paths of pictures and fonts that are kept. */
  readonly kept: readonly string[];
  readonly onKept: () => void;
}

interface Node {
  readonly minimum?: number;
  readonly maximum?: number;
  readonly enum?: readonly string[];
  readonly maxLength?: number;
  readonly properties?: Readonly<Record<string, Node>>;
  readonly anyOf?: readonly Node[];
}

let schema: Node | undefined;

/** What the policy’s own schema says of a key: its least, its most, its words. */
export function nodeAt(key: string): Node {
  schema ??= screenJsonSchema() as Node;
  return key.split('.').reduce<Node>((at, part) => at.properties?.[part] ?? {}, schema);
}

/** What a property is as the design stands, whether it was said or is the look’s. */
export function effective(design: Design, key: string): unknown {
  const [group = '', ...rest] = key.split('.');
  if (key === 'sections') return design.dressesSections ? 'screen' : 'site';
  return rest.reduce<unknown>(
    (at, part) => (typeof at === 'object' && at !== null ? (at as Record<string, unknown>)[part] : undefined),
    (design as unknown as Record<string, unknown>)[group],
  );
}

const withNone = new Set(['logo', 'picture', 'art', 'home', 'fonts', 'blocks', 'css']);

const idOf = (key: string) => `p-${key.replaceAll('.', '-')}`;
export const controlId = idOf;

/** A property with its label, a way back to the look’s own, and what is wrong with it. */
export function Row({
  property,
  desk,
  children,
  note,
}: {
  readonly property: Property;
  readonly desk: Desk;
  readonly children: ReactNode;
  readonly note?: ReactNode;
}) {
  const { key, label } = property;
  const idle = property.idle?.(desk.design);
  const reset = property.kind === 'text' || property.kind === 'longText' ? 'built-in words' : 'as the look';
  // What has a “none” of its own needs no other way back.
  const isSaid = desk.valueOf(key) !== undefined && !withNone.has(property.kind) && !key.endsWith('.alt');
  const problem = [...desk.problems].find(([at]) => at === key || at.startsWith(`${key}.`))?.[1];
  return (
    <div className={`property${idle === undefined ? '' : ' idle'}`} data-key={key}>
      <div className="property-head">
        <label htmlFor={idOf(key)}>{label}</label>
        {isSaid && (
          <button
            type="button"
            className="plain"
            aria-label={`${label}: ${reset}`}
            onClick={() => desk.set(key, undefined)}
          >
            {reset}
          </button>
        )}
      </div>
      {children}
      {note}
      {idle !== undefined && <p className="hint">Counts {idle}.</p>}
      {problem !== undefined && (
        <p className="problem" role="alert">
          {plain(problem)}
        </p>
      )}
    </div>
  );
}

export function NumberControl({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const { key, kind, label } = property;
  const node = nodeAt(key);
  const { minimum = 0, maximum = 100 } = node;
  const said = desk.valueOf(key);
  const value = typeof said === 'number' ? said : effective(desk.design, key);
  const isShare = kind === 'share';
  const shown = typeof value === 'number' ? (isShare ? Math.round(value * 100) : value) : '';
  const [least, most] = isShare ? [0, 100] : [minimum, maximum];
  const unit = isShare ? '%' : key.endsWith('gradient') ? '°' : key.endsWith('weight') ? '' : 'px';
  const set = (text: string) => {
    if (text === '') desk.set(key, undefined);
    else desk.set(key, isShare ? Number(text) / 100 : Number(text));
  };
  const step = key.endsWith('weight') ? 50 : 1;
  return (
    <Row property={property} desk={desk}>
      <div className="number">
        <input
          type="range"
          aria-label={`${label}, by a slider`}
          min={least}
          max={most}
          step={step}
          value={shown === '' ? least : shown}
          onChange={(event) => set(event.target.value)}
        />
        <input
          id={idOf(key)}
          type="number"
          min={least}
          max={most}
          step="any"
          value={shown}
          onChange={(event) => set(event.target.value)}
        />
        <span className="unit">{unit}</span>
      </div>
    </Row>
  );
}

export function ChoiceControl({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const { key } = property;
  const words = choiceWords[key.slice(key.lastIndexOf('.') + 1)] ?? {};
  const said = desk.valueOf(key) ?? effective(desk.design, key);
  const value = typeof said === 'string' ? said : '';
  return (
    <Row property={property} desk={desk}>
      <select id={idOf(key)} value={value} onChange={(event) => desk.set(key, event.target.value)}>
        {(nodeAt(key).enum ?? []).map((one) => (
          <option key={one} value={one}>
            {words[one] ?? one}
          </option>
        ))}
      </select>
    </Row>
  );
}

export function FlagControl({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const { key } = property;
  const value = desk.valueOf(key) ?? effective(desk.design, key);
  return (
    <Row property={property} desk={desk}>
      <span className="check">
        <input
          id={idOf(key)}
          type="checkbox"
          checked={value === true}
          onChange={(event) => desk.set(key, event.target.checked)}
        />
        yes
      </span>
    </Row>
  );
}

const positionWords = (one: string) =>
  one === 'center'
    ? 'the middle'
    : one.replace('-', ', ').replace('start', 'at the start').replace('end', 'at the end');

export function PositionControl({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const { key, label } = property;
  const value = desk.valueOf(key) ?? effective(desk.design, key);
  return (
    <Row property={property} desk={desk}>
      <div className="nine" role="radiogroup" aria-label={label}>
        {positions.map((one, at) => (
          <label key={one} title={positionWords(one)}>
            <input
              id={at === 0 ? idOf(key) : undefined}
              type="radio"
              name={key}
              aria-label={positionWords(one)}
              checked={one === value}
              onChange={() => desk.set(key, one)}
            />
          </label>
        ))}
      </div>
    </Row>
  );
}

const familyWords: Readonly<Record<string, string>> = {
  plain: 'plain',
  bookish: 'bookish',
  stately: 'stately',
  drawn: 'drawn',
  round: 'round',
  narrow: 'narrow',
};

export function FamilyControl({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const { key } = property;
  const said = desk.valueOf(key);
  const value = typeof said === 'string' ? said : '';
  const own = desk.design.fontFiles.map(({ family }) => `"${family}", sans-serif`);
  const isOther = value !== '' && !(value in families) && !own.includes(value);
  const [isTyping, setTyping] = useState(false);
  return (
    <Row property={property} desk={desk}>
      <select
        id={idOf(key)}
        value={isOther || isTyping ? '…' : value}
        onChange={(event) => {
          setTyping(event.target.value === '…');
          if (event.target.value !== '…') desk.set(key, event.target.value === '' ? undefined : event.target.value);
        }}
      >
        <option value="">as the look</option>
        {Object.keys(families).map((one) => (
          <option key={one} value={one}>
            {familyWords[one] ?? one}
          </option>
        ))}
        {own.map((one) => (
          <option key={one} value={one}>
            {one.split(',')[0]?.replaceAll('"', '')}, your own
          </option>
        ))}
        <option value="…">others, by name …</option>
      </select>
      {(isOther || isTyping) && (
        <input
          aria-label={`${property.label}, by name`}
          value={value}
          placeholder="Georgia, serif"
          onChange={(event) => desk.set(key, event.target.value === '' ? undefined : event.target.value)}
        />
      )}
    </Row>
  );
}

export function WidthControl({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const { key } = property;
  const value = desk.valueOf(key) ?? effective(desk.design, key);
  const isNumber = typeof value === 'number';
  return (
    <Row property={property} desk={desk}>
      <div className="number">
        <select
          id={idOf(key)}
          value={isNumber ? 'own' : String(value)}
          onChange={(event) => desk.set(key, event.target.value === 'own' ? 320 : event.target.value)}
        >
          <option value="full">as wide as the words</option>
          <option value="auto">as wide as what is in it</option>
          <option value="own">a width of its own</option>
        </select>
        {isNumber && (
          <>
            <input
              type="number"
              aria-label={`${property.label} in pixels`}
              min={120}
              max={640}
              value={value}
              onChange={(event) => desk.set(key, Number(event.target.value))}
            />
            <span className="unit">px</span>
          </>
        )}
      </div>
    </Row>
  );
}

/** A color by a field for it and by its digits, with what stands on it or under it and cannot be read. */
export function ColorControl({
  role,
  scheme,
  about,
  desk,
}: {
  readonly role: string;
  readonly scheme: 'light' | 'dark';
  readonly about: string;
  readonly desk: Desk;
}) {
  const key = `colors.${scheme}.${role}`;
  const said = desk.valueOf(key);
  const value = effective(desk.design, key) as Color;
  const text = typeof said === 'string' ? said : value;
  const failing = desk.pairs.filter((pair) => pair.scheme === scheme && pair.role === role && pair.ratio < pair.wanted);
  const judged = desk.pairs.filter((pair) => pair.scheme === scheme && pair.role === role);
  const least = judged.reduce<Pair | undefined>(
    (worst, pair) => (worst === undefined || pair.ratio / pair.wanted < worst.ratio / worst.wanted ? pair : worst),
    undefined,
  );
  const problem = desk.problems.get(key);
  return (
    <div className="color" data-key={key}>
      <input
        type="color"
        aria-label={`${about}, chosen by eye`}
        value={readColor(text) ?? value}
        onChange={(event) => desk.set(key, event.target.value)}
      />
      <label htmlFor={idOf(key)}>{about}</label>
      <input
        id={idOf(key)}
        className="digits"
        spellCheck={false}
        value={text}
        onChange={(event) => desk.set(key, event.target.value === '' ? undefined : event.target.value)}
      />
      {said !== undefined ? (
        <button
          type="button"
          className="plain"
          aria-label={`${about}: as the look has it`}
          onClick={() => desk.set(key, undefined)}
        >
          reset
        </button>
      ) : (
        <span />
      )}
      {least !== undefined && failing.length === 0 && (
        <span className="contrast">
          {shownRatio(least.ratio)} on {least.on}: reads well
        </span>
      )}
      {failing.map((pair) => (
        <Failing key={pair.on} pair={pair} onUse={(color) => desk.set(key, color)} />
      ))}
      {problem !== undefined && <span className="contrast fails">{plain(problem)}</span>}
    </div>
  );
}

/** Cut, not rounded: 4.499 is not 4.5. */
const shownRatio = (ratio: number) => (Math.floor(ratio * 10) / 10).toFixed(1);

function Failing({ pair, onUse }: { readonly pair: Pair; readonly onUse: (color: string) => void }) {
  const nearest = nearestPassing(pair.color, pair.behind, pair.wanted);
  return (
    <span className="contrast fails">
      {shownRatio(pair.ratio)} of {pair.wanted} on {pair.on}: hard to read.{' '}
      {nearest === undefined ? (
        'No color has enough there: let less of what is behind show.'
      ) : (
        <button type="button" className="plain" onClick={() => onUse(nearest)}>
          Take {nearest}
        </button>
      )}
    </span>
  );
}

/** A text in the language that is written in just now. */
export function TextControl({
  property,
  desk,
  most,
}: {
  readonly property: Property;
  readonly desk: Desk;
  readonly most?: number | undefined;
}) {
  const { key, kind } = property;
  const said = desk.valueOf(key) as WrittenText;
  // What a picture shows may be left empty, and is said all the same.
  const isAlt = key.endsWith('.alt');
  const written = isAlt && said === '' ? undefined : said;
  const { language, languages, ownTag } = desk;
  const value = textIn(written, language, ownTag);
  const missing = untranslated(written, languages, ownTag).filter((tag) => tag !== language);
  const isForAll = typeof written === 'string' && languages.length > 1;
  const placeholder =
    typeof written === 'string' && language !== ownTag ? written : desk.builtIn(key.slice(key.lastIndexOf('.') + 1));
  const all = {
    id: idOf(key),
    lang: language,
    dir: 'auto',
    value,
    placeholder,
    maxLength: most,
    onChange: ({ target }: { readonly target: { readonly value: string } }) =>
      desk.set(key, withText(written, language, ownTag, target.value) ?? (isAlt ? '' : undefined)),
  };
  const note = isForAll
    ? language === ownTag
      ? `Shown in this language to all: not in ${languagesWords(missing)} yet.`
      : `Not in ${languageName(language)} yet: visitors read it in ${languageName(ownTag)}.`
    : missing.length > 0
      ? `Not in ${languagesWords(missing)} yet.`
      : written !== undefined && value === '' && typeof written === 'object'
        ? `Not in ${languageName(language)} yet.`
        : undefined;
  return (
    <Row property={property} desk={desk} note={note !== undefined && <p className="hint untranslated">{note}</p>}>
      {kind === 'longText' ? <textarea rows={2} {...all} /> : <input {...all} />}
    </Row>
  );
}

export interface PictureValue {
  readonly picture: string;
  readonly width: number;
  readonly height: number;
}

const isFont = (path: string) => /\.(?:woff2?|ttf|otf)$/i.test(path);

/** Chooses a picture: dropped here, from the machine, one that is kept, or one of the site by its path. */
export function PictureChooser({
  id,
  label,
  value,
  desk,
  onChoose,
}: {
  readonly id: string;
  readonly label: string;
  readonly value: string;
  readonly desk: Desk;
  readonly onChoose: (chosen: PictureValue | undefined) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const [isOver, setOver] = useState(false);
  const hint = useId();
  const measure = async (path: string): Promise<PictureValue> => {
    const image = new Image();
    image.src = path.startsWith('data:') ? path : `/api/shown?path=${encodeURIComponent(path)}`;
    // One that cannot be seen from here, as on a site elsewhere, is taken at its word.
    await image.decode().catch(() => undefined);
    const [width, height] = [image.naturalWidth || 320, image.naturalHeight || 200];
    const scale = Math.min(1, 2000 / width, 2000 / height);
    return {
      picture: path,
      width: Math.max(8, Math.round(width * scale)),
      height: Math.max(8, Math.round(height * scale)),
    };
  };
  const take = useAct(async (given: File) => {
    const { data, width, height } = await shrunk(given);
    const { path } = await call('screen.keep', { called: given.name.slice(0, 200), data });
    desk.onKept();
    onChoose({ picture: path, width, height });
  });
  const name = useAct(async (path: string) => {
    if (path === '') onChoose(undefined);
    else onChoose(await measure(path));
  });
  return (
    <div
      className={`picture-chooser${isOver ? ' over' : ''}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        const [dropped] = event.dataTransfer.files;
        if (dropped !== undefined) void take.act(dropped);
      }}
    >
      {value !== '' && (
        <img src={value.startsWith('data:') ? value : `/api/shown?path=${encodeURIComponent(value)}`} alt="" />
      )}
      <div className="buttons">
        <input
          ref={file}
          type="file"
          className="unseen"
          tabIndex={-1}
          aria-label={`${label}: a file`}
          accept="image/avif,image/gif,image/jpeg,image/png,image/svg+xml,image/webp"
          onChange={(event) => {
            const [chosen] = event.target.files ?? [];
            if (chosen !== undefined) void take.act(chosen);
            event.target.value = '';
          }}
        />
        <button type="button" className="quiet" disabled={take.isBusy} onClick={() => file.current?.click()}>
          {take.isBusy ? 'One moment …' : value === '' ? 'Choose a picture' : 'Another one'}
        </button>
        {value !== '' && (
          <button type="button" className="plain" aria-label={`${label}: none`} onClick={() => onChoose(undefined)}>
            none
          </button>
        )}
      </div>
      <p className="hint" id={hint}>
        Or drop it here, or say where it lies on the site; it has to be open to everybody there.
      </p>
      <input
        id={id}
        list={`${id}-kept`}
        aria-describedby={hint}
        value={value.startsWith('data:') ? 'in the design itself' : value}
        readOnly={value.startsWith('data:')}
        placeholder="/pictures/moor.jpg"
        spellCheck={false}
        onChange={(event) => void name.act(event.target.value)}
      />
      <datalist id={`${id}-kept`}>
        {desk.kept
          .filter((path) => !isFont(path))
          .map((path) => (
            <option key={path} value={path} />
          ))}
      </datalist>
      <Problem error={take.error ?? name.error} />
    </div>
  );
}
