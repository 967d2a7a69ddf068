import { useState } from 'react';
import { readDesignTokens, tokensOf, type Screen } from '../../../../dist/design.js';
import { call, type CallResult } from '../api.js';
import { download } from '../download.js';
import { announce, Dialog, Field, Form, listed, plural, Problem, useAct } from '../ui.js';
import { isChanged, replace, useDesign } from './design-store.js';
import type { Drawn } from './drawing.js';
import { withValue } from './written.js';

/** What is done with a design beside drawing it: copied, taken along, brought in, taken away. */
export function Handing({
  name,
  design,
  screen,
  drawn,
  onGone,
}: {
  readonly name: string;
  readonly design: CallResult<'screens.design'>;
  readonly screen: Screen | undefined;
  readonly drawn: Drawn;
  readonly onGone: () => void;
}) {
  const [asking, setAsking] = useState<'copy' | 'remove'>();
  const [to, setTo] = useState('');
  const [told, setTold] = useState('');
  const { written } = useDesign();
  const others = design.screens.map((one) => one.name).filter((one) => one !== name);
  const copy = useAct(async () => {
    const isNew = !others.includes(to);
    await call('screen.change', { screen: to, written, ...(isNew && { isNew }) });
    announce(`The design of ${name} is that of ${to} now, in the draft.`);
    setAsking(undefined);
  });
  const remove = useAct(async () => {
    const { locks } = await call('screen.remove', { screen: name });
    announce(
      locks.length === 0
        ? `The screen ${name} is gone, in the draft.`
        : `The screen ${name} is gone, in the draft; ${listed(locks)} ${locks.length === 1 ? 'shows' : 'show'} the default screen.`,
    );
    onGone();
  });
  const exporting = useAct(async () => {
    const { state, language } = drawn;
    const { html } = await call('screen.export', { screen: name, state, language });
    download(`${name}.html`, 'text/html', html);
  });
  const tokens = useAct(async (file: File) => {
    const { values, unused } = readDesignTokens(await file.text());
    const next = values.reduce((at, { key, value }) => withValue(at, key, value), useDesign.getState().written);
    replace(next);
    setTold(
      values.length === 0
        ? 'None of its tokens says anything about a screen.'
        : `Taken from it: ${plural(values.length, 'value')}${unused.length > 0 ? `; ${plural(unused.length, 'token')} of no use here` : ''}.`,
    );
    return Promise.resolve();
  });
  const isBuiltIn = design.screens.find((one) => one.name === name)?.isWritten !== true;
  return (
    <>
      <div className="buttons">
        <button type="button" className="quiet" onClick={() => setAsking('copy')}>
          Copy it to another screen
        </button>
        <button
          type="button"
          className="quiet"
          disabled={screen === undefined}
          onClick={() => {
            if (screen !== undefined)
              download(
                `${name}.tokens.json`,
                'application/json',
                `${JSON.stringify(tokensOf(screen.design), null, 2)}\n`,
              );
          }}
        >
          Its colors and letters as design tokens
        </button>
        <button type="button" className="quiet" disabled={exporting.isBusy} onClick={() => void exporting.act()}>
          As one HTML file
        </button>
        {!isBuiltIn && (
          <button type="button" className="quiet danger" onClick={() => setAsking('remove')}>
            Take it away
          </button>
        )}
      </div>
      <p className="hint">
        The HTML file is as the draft has it
        {isChanged(useDesign.getState()) ? ', without what was changed here since' : ''}.
      </p>
      <div className="property">
        <label htmlFor="tokens-file">Bring in design tokens</label>
        <input
          id="tokens-file"
          type="file"
          accept=".json,application/json"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            if (file !== undefined) void tokens.act(file);
            event.target.value = '';
          }}
        />
        <p className="hint" role="status">
          {told}
        </p>
      </div>
      <Problem error={exporting.error ?? tokens.error} />
      {asking === 'copy' && (
        <Dialog title={`Copy the design of ${name}`} onClose={() => setAsking(undefined)}>
          <Form act={copy.act}>
            <Field
              label="To which screen"
              hint={
                others.includes(to)
                  ? `Its own design is written over, in the draft; undo brings it back.`
                  : 'A name that no screen has yet makes a new one.'
              }
            >
              {(props) => (
                <>
                  <input
                    {...props}
                    list="other-screens"
                    required
                    value={to}
                    onChange={(event) => setTo(event.target.value)}
                  />
                  <datalist id="other-screens">
                    {others.map((one) => (
                      <option key={one} value={one} />
                    ))}
                  </datalist>
                </>
              )}
            </Field>
            <Problem error={copy.error} />
            <p className="buttons">
              <button className="main" disabled={copy.isBusy}>
                Copy it
              </button>
            </p>
          </Form>
        </Dialog>
      )}
      {asking === 'remove' && (
        <Dialog title={`Take the screen ${name} away?`} onClose={() => setAsking(undefined)}>
          <p>
            Locks that show it will show the default screen. It is done in the draft: nothing changes for visitors
            before you go live, and undo brings it back.
          </p>
          <Problem error={remove.error} />
          <p className="buttons">
            <button type="button" className="main danger" disabled={remove.isBusy} onClick={() => void remove.act()}>
              Take it away
            </button>
          </p>
        </Dialog>
      )}
    </>
  );
}
