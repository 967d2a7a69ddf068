// Puts one mutant in the place of its source file: DORLIN_MUTANT is JSON of { file, start, end, text }.
// Registered before what transforms TypeScript, so that that gets the mutant.
import { register } from 'node:module';

const source = `
import { pathToFileURL } from 'node:url';
const { file, start, end, text } = JSON.parse(process.env.DORLIN_MUTANT);
const url = pathToFileURL(file).href;
export async function load(asked, context, next) {
  const loaded = await next(asked, context);
  if (asked.split('?')[0] !== url || loaded.source == null) return loaded;
  const whole = Buffer.from(loaded.source).toString();
  return { ...loaded, source: whole.slice(0, start) + text + whole.slice(end) };
}`;
if (process.env.DORLIN_MUTANT) register(`data:text/javascript,${encodeURIComponent(source)}`);
