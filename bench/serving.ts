import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import autocannon from 'autocannon';
import { median, report, type Figure } from './figures.js';

const server = fileURLToPath(new URL('serving-child.ts', import.meta.url));

/** Requests of one address that a second of the server's processor does, over a second of asking. */
export async function rate(url: string, headers: Record<string, string>, spent: string): Promise<number> {
  const seconds = async () => Number(await (await fetch(spent)).text());
  const before = await seconds();
  const { requests, non2xx } = await autocannon({ url, connections: 32, duration: 1, headers });
  if (non2xx > 0) throw new Error(`${non2xx} answers of ${url} were no page`);
  return requests.total / ((await seconds()) - before);
}

/**
 * What the guard costs: the same files by the same server bare, and behind the guard as an open
 * page and as a page of a lock that this browser has opened. In interleaved pairs, each bare run
 * beside its guarded one, and by the time of the processor rather than of the clock, as the machine
 * may be busy with other things.
 */
export async function benchServing(): Promise<Figure[]> {
  const child = spawn(process.execPath, ['--import', 'tsx', server], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const [line] = (await once(child.stdout, 'data')) as [Buffer];
    const { bare, guarded, spent, cookie } = JSON.parse(line.toString()) as {
      bare: string;
      guarded: string;
      spent: string;
      cookie: string;
    };
    const pairOf = async (path: string, headers: Record<string, string>, isFirst: boolean) => {
      const one = () => rate(`${guarded}${path}`, headers, spent);
      const other = () => rate(`${bare}${path}`, headers, spent);
      if (isFirst) {
        const with_ = await one();
        return with_ / (await other());
      }
      const without = await other();
      return (await one()) / without;
    };
    const open: number[] = [];
    const letIn: number[] = [];
    const withSection: number[] = [];
    for (const warm of ['/about', '/members/log', '/events']) await rate(`${guarded}${warm}`, { cookie }, spent);
    for (let pair = 0; pair < 11; pair++) {
      open.push(await pairOf('/about', {}, pair % 2 === 0));
      letIn.push(await pairOf('/members/log', { cookie }, pair % 2 === 0));
      withSection.push(await pairOf('/events', {}, pair % 2 === 0));
    }
    return [
      report('open page behind the guard, as a share of bare (11 pairs)', median(open), '', {
        atLeast: 0.95,
      }),
      report('let-in page behind the guard, as a share of bare (11 pairs)', median(letIn), '', {
        atLeast: 0.9,
      }),
      report('page with a section cut before, as a share of bare (11 pairs)', median(withSection), '', {
        atLeast: 0.9,
      }),
    ];
  } finally {
    child.kill();
  }
}
