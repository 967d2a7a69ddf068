import { useState, type DragEvent } from 'react';
import { controlId, PictureChooser, Row, type Desk, type PictureValue } from './controls.js';
import type { Property } from './properties.js';
import { textIn, untranslated, withText, type Written as WrittenText } from './texts.js';
import { languagesWords } from './language-words.js';

type Block = Readonly<Record<string, unknown>>;

const kinds = {
  markdown: 'Text',
  picture: 'Picture',
  pictures: 'Pictures in a row',
  links: 'Links',
  countdown: 'Time that is left',
  request: 'Asks for an address',
} as const;

type Kind = keyof typeof kinds;

const kindOf = (block: Block): Kind =>
  (Object.keys(kinds) as Kind[]).find((kind) => block[kind] !== undefined) ?? 'markdown';

/** A block as it is when it is added: whole, so that it is seen at once. */
const fresh = (kind: Kind): Block => {
  switch (kind) {
    case 'markdown':
      return { markdown: 'Write here. **Bold**, [links](/) and lists are drawn.' };
    case 'links':
      return { links: [{ to: '/', text: 'To the start page' }] };
    case 'countdown':
      return { countdown: 'end' };
    case 'request':
      return { request: { gives: 'nothing', consent: 'Write to me about this, and about nothing else.' } };
    case 'picture':
    case 'pictures':
      return { [kind]: undefined };
  }
};

/** What is dragged from one list to another. */
const dragged = 'application/x-dorlin-block';

/** The parts above or below the form: added, moved by mouse and by buttons, written, taken out. */
export function Blocks({ property, desk }: { readonly property: Property; readonly desk: Desk }) {
  const side = property.key as 'above' | 'below';
  const other = side === 'above' ? 'below' : 'above';
  const blocks = (desk.valueOf(side) as readonly Block[] | undefined) ?? [];
  const others = (desk.valueOf(other) as readonly Block[] | undefined) ?? [];
  const [waiting, setWaiting] = useState<'picture' | 'pictures'>();
  const set = (at: 'above' | 'below', next: readonly Block[]) => desk.set(at, next.length === 0 ? undefined : next);
  const move = (from: number, to: number) => {
    const next = [...blocks];
    const [one] = next.splice(from, 1);
    if (one === undefined) return;
    next.splice(to, 0, one);
    set(side, next);
  };
  const across = (at: number) => {
    const one = blocks[at];
    if (one === undefined || others.length >= 8) return;
    set(
      side,
      blocks.filter((_, place) => place !== at),
    );
    set(other, side === 'above' ? [one, ...others] : [...others, one]);
  };
  const dropAt = (event: DragEvent, to: number) => {
    event.preventDefault();
    event.stopPropagation();
    const [from = '', place = ''] = event.dataTransfer.getData(dragged).split(' ');
    if (from === side) move(Number(place), to > Number(place) ? to - 1 : to);
    else if (from === other && blocks.length < 8) {
      const one = others[Number(place)];
      if (one === undefined) return;
      set(
        other,
        others.filter((_, at) => at !== Number(place)),
      );
      set(side, [...blocks.slice(0, to), one, ...blocks.slice(to)]);
    }
  };
  const change = (at: number, next: Block) =>
    set(
      side,
      blocks.map((one, place) => (place === at ? next : one)),
    );
  return (
    <Row property={property} desk={desk}>
      <ol
        className="blocks"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => dropAt(event, blocks.length)}
      >
        {blocks.map((block, at) => {
          const kind = kindOf(block);
          return (
            // Blocks have no name of their own; where they stand is what they are called by.
            <li
              key={`${kind} ${at}`}
              onDragOver={(event) => event.preventDefault()}
              onDrop={(event) => dropAt(event, at)}
            >
              <div
                className="block-head"
                draggable
                onDragStart={(event) => event.dataTransfer.setData(dragged, `${side} ${at}`)}
              >
                <b>{kinds[kind]}</b>
                <button
                  type="button"
                  className="plain"
                  disabled={at === 0}
                  aria-label={`${kinds[kind]} ${at + 1}: up`}
                  onClick={() => move(at, at - 1)}
                >
                  up
                </button>
                <button
                  type="button"
                  className="plain"
                  disabled={at === blocks.length - 1}
                  aria-label={`${kinds[kind]} ${at + 1}: down`}
                  onClick={() => move(at, at + 1)}
                >
                  down
                </button>
                <button
                  type="button"
                  className="plain"
                  aria-label={`${kinds[kind]} ${at + 1}: ${other} the form`}
                  onClick={() => across(at)}
                >
                  {other} the form
                </button>
                <button
                  type="button"
                  className="plain"
                  aria-label={`${kinds[kind]} ${at + 1}: out`}
                  onClick={() =>
                    set(
                      side,
                      blocks.filter((_, place) => place !== at),
                    )
                  }
                >
                  out
                </button>
              </div>
              <BlockEditor block={block} at={`${side}-${at}`} desk={desk} onChange={(next) => change(at, next)} />
            </li>
          );
        })}
      </ol>
      {blocks.length < 8 && (
        <select
          id={controlId(side)}
          value=""
          onChange={({ target }) => {
            const kind = target.value as Kind;
            if (kind === 'picture' || kind === 'pictures') setWaiting(kind);
            else set(side, [...blocks, fresh(kind)]);
          }}
        >
          <option value="">Add …</option>
          {Object.entries(kinds).map(([kind, words]) => (
            <option key={kind} value={kind}>
              {words}
            </option>
          ))}
        </select>
      )}
      {waiting !== undefined && (
        <PictureChooser
          id={`${side}-waiting`}
          label="The picture"
          value=""
          desk={desk}
          onChoose={(chosen) => {
            if (chosen !== undefined) {
              const one = blockPicture(chosen, waiting === 'picture' ? 2000 : 800);
              set(side, [...blocks, waiting === 'picture' ? one : { pictures: [one, one] }]);
            }
            setWaiting(undefined);
          }}
        />
      )}
    </Row>
  );
}

/** A picture at a size that fits beside words. */
function blockPicture({ picture, width, height }: PictureValue, mostHigh: number) {
  const scale = Math.min(1, 480 / width, mostHigh / height);
  return {
    picture,
    alt: '',
    width: Math.max(8, Math.round(width * scale)),
    height: Math.max(8, Math.round(height * scale)),
  };
}

interface Editing {
  readonly block: Block;
  readonly at: string;
  readonly desk: Desk;
  readonly onChange: (next: Block) => void;
}

function BlockEditor({ block, at, desk, onChange }: Editing) {
  switch (kindOf(block)) {
    case 'markdown':
      return (
        <Words
          label="Its text"
          desk={desk}
          id={`${at}-text`}
          rows={4}
          written={block['markdown'] as WrittenText}
          onChange={(markdown) => onChange({ markdown: markdown ?? '' })}
        />
      );
    case 'countdown':
      return <p className="hint">Counts down to the end of the lock that shows this screen.</p>;
    case 'picture':
      return (
        <OnePicture
          value={block as unknown as PictureBlock}
          at={at}
          desk={desk}
          onChange={(next) => onChange({ ...next })}
        />
      );
    case 'pictures':
      return <Pictures block={block} at={at} desk={desk} onChange={onChange} />;
    case 'links':
      return <Links block={block} at={at} desk={desk} onChange={onChange} />;
    case 'request':
      return <Request block={block} at={at} desk={desk} onChange={onChange} />;
  }
}

interface PictureBlock extends PictureValue {
  readonly alt: WrittenText;
}

function OnePicture({
  value,
  at,
  desk,
  onChange,
}: {
  readonly value: PictureBlock;
  readonly at: string;
  readonly desk: Desk;
  readonly onChange: (next: PictureBlock) => void;
}) {
  const { width, height } = value;
  const resize = (to: number) => {
    const next = Math.max(8, Math.min(2000, Math.round(to)));
    onChange({ ...value, width: next, height: Math.max(8, Math.min(800, Math.round((height * next) / width))) });
  };
  return (
    <>
      <PictureChooser
        id={`${at}-picture`}
        label="The picture"
        value={value.picture}
        desk={desk}
        onChoose={(chosen) => {
          if (chosen !== undefined) onChange({ ...value, ...blockPicture(chosen, 800), alt: value.alt ?? '' });
        }}
      />
      <Words
        label="What it shows, for those who do not see it"
        desk={desk}
        id={`${at}-alt`}
        written={value.alt === '' ? undefined : value.alt}
        onChange={(alt) => onChange({ ...value, alt: alt ?? '' })}
      />
      <div className="number">
        <label htmlFor={`${at}-width`}>Width</label>
        <input
          id={`${at}-width`}
          type="number"
          min={8}
          max={2000}
          value={width}
          onChange={(event) => resize(Number(event.target.value) || 8)}
        />
        <span className="unit">px, {height} high</span>
      </div>
    </>
  );
}

function Pictures({ block, at, desk, onChange }: Editing) {
  const all = block['pictures'] as readonly PictureBlock[];
  return (
    <>
      {all.map((one, place) => (
        <div className="inner" key={`${one.picture} ${place}`}>
          <OnePicture
            value={one}
            at={`${at}-${place}`}
            desk={desk}
            onChange={(next) => onChange({ pictures: all.map((other, here) => (here === place ? next : other)) })}
          />
          {all.length > 2 && (
            <button
              type="button"
              className="plain"
              onClick={() => onChange({ pictures: all.filter((_, here) => here !== place) })}
            >
              Take this one out
            </button>
          )}
        </div>
      ))}
      {all.length < 6 && (
        <button type="button" className="quiet" onClick={() => onChange({ pictures: [...all, all.at(-1)] })}>
          One picture more
        </button>
      )}
    </>
  );
}

interface LinkValue {
  readonly to: string;
  readonly text: WrittenText;
}

function Links({ block, at, desk, onChange }: Editing) {
  const links = block['links'] as readonly LinkValue[];
  const set = (next: readonly LinkValue[]) => onChange({ links: next });
  return (
    <>
      {links.map((link, place) => (
        <div className="inner" key={place}>
          <Words
            label="What it says"
            desk={desk}
            id={`${at}-${place}-text`}
            written={link.text}
            onChange={(text) => set(links.map((one, here) => (here === place ? { ...one, text: text ?? '' } : one)))}
          />
          <div className="property-head">
            <label htmlFor={`${at}-${place}-to`}>Where it leads</label>
          </div>
          <input
            id={`${at}-${place}-to`}
            value={link.to}
            onChange={(event) =>
              set(links.map((one, here) => (here === place ? { ...one, to: event.target.value } : one)))
            }
          />
          {links.length > 1 && (
            <button type="button" className="plain" onClick={() => set(links.filter((_, here) => here !== place))}>
              Take this link out
            </button>
          )}
        </div>
      ))}
      {links.length < 12 && (
        <button type="button" className="quiet" onClick={() => set([...links, { to: '/', text: 'Another page' }])}>
          One link more
        </button>
      )}
    </>
  );
}

type Gives = 'nothing' | { readonly password: string } | { readonly link: string; readonly for?: string };

function Request({ block, at, desk, onChange }: Editing) {
  const request = block['request'] as Readonly<Record<string, unknown>>;
  const gives = request['gives'] as Gives;
  const kind = gives === 'nothing' ? 'nothing' : 'password' in gives ? 'password' : 'link';
  const set = (more: Readonly<Record<string, unknown>>) => {
    const next = Object.fromEntries(Object.entries({ ...request, ...more }).filter(([, value]) => value !== undefined));
    onChange({ request: next });
  };
  const words = (key: string, label: string, rows?: number) => (
    <Words
      key={key}
      label={label}
      desk={desk}
      id={`${at}-${key}`}
      rows={rows}
      placeholder={builtInOf(desk, key, kind)}
      written={request[key] as WrittenText}
      onChange={(text) => set({ [key]: text ?? (key === 'consent' ? '' : undefined) })}
    />
  );
  return (
    <>
      <div className="property-head">
        <label htmlFor={`${at}-gives`}>Whoever leaves an address is sent</label>
      </div>
      <select
        id={`${at}-gives`}
        value={kind}
        onChange={({ target: { value } }) =>
          set({ gives: value === 'nothing' ? 'nothing' : value === 'password' ? { password: '…' } : { link: '…' } })
        }
      >
        <option value="nothing">nothing: addresses are collected</option>
        <option value="password">a password of the lock</option>
        <option value="link">an entry link of their own</option>
      </select>
      {gives !== 'nothing' && (
        <>
          <div className="property-head">
            <label htmlFor={`${at}-which`}>
              {kind === 'password' ? 'Which password, by its name' : 'Made from which link, by its name'}
            </label>
          </div>
          <input
            id={`${at}-which`}
            value={'password' in gives ? gives.password : gives.link}
            onChange={({ target: { value } }) =>
              set({ gives: 'password' in gives ? { password: value } : { ...gives, link: value } })
            }
          />
        </>
      )}
      {gives !== 'nothing' && 'link' in gives && (
        <>
          <div className="property-head">
            <label htmlFor={`${at}-for`}>How long each counts</label>
          </div>
          <input
            id={`${at}-for`}
            value={gives.for ?? ''}
            placeholder="as long as the link"
            onChange={({ target: { value } }) =>
              set({ gives: value === '' ? { link: gives.link } : { ...gives, for: value } })
            }
          />
        </>
      )}
      {words('text', 'What is asked for, and what for', 2)}
      {words('consent', 'What the visitor agrees to', 2)}
      {words('label', 'Over the field')}
      {words('button', 'On the button')}
      {gives !== 'nothing' && words('subject', 'Subject of the letter')}
      {gives !== 'nothing' && words('letter', 'The letter; {secret} becomes what is sent', 5)}
    </>
  );
}

const builtInOf = (desk: Desk, key: string, kind: string): string =>
  key === 'label'
    ? desk.builtIn('requestLabel')
    : key === 'button'
      ? desk.builtIn({ nothing: 'requestNews', password: 'requestPassword', link: 'requestLink' }[kind] ?? '')
      : key === 'subject'
        ? desk.builtIn('letterSubject')
        : key === 'letter'
          ? desk.builtIn(kind === 'password' ? 'letterPassword' : 'letterLink')
          : '';

/** A text within a block, in the language that is written in just now. */
function Words({
  label,
  id,
  written,
  desk,
  rows,
  placeholder,
  onChange,
}: {
  readonly label: string;
  readonly id: string;
  readonly written: WrittenText;
  readonly desk: Desk;
  readonly rows?: number | undefined;
  readonly placeholder?: string;
  readonly onChange: (next: WrittenText) => void;
}) {
  const { language, languages, ownTag } = desk;
  const missing = written === '' ? [] : untranslated(written, languages, ownTag);
  const all = {
    id,
    lang: language,
    dir: 'auto',
    value: textIn(written, language, ownTag),
    placeholder: typeof written === 'string' && language !== ownTag ? written : placeholder,
    onChange: ({ target }: { readonly target: { readonly value: string } }) =>
      onChange(withText(written, language, ownTag, target.value)),
  };
  return (
    <div className="property">
      <div className="property-head">
        <label htmlFor={id}>{label}</label>
      </div>
      {rows === undefined ? <input {...all} /> : <textarea rows={rows} {...all} />}
      {missing.length > 0 && <p className="hint untranslated">Not in {languagesWords(missing)} yet.</p>}
    </div>
  );
}
