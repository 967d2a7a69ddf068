import { once } from 'node:events';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { guardsFromRedis, redisStores } from '../../src/redis.js';
import { startSite } from '../../src/server/site-server.js';
import { policyText } from '../support/policies.js';
import { lacksProgram } from '../support/programs.js';
import { seededRandom } from '../support/random.js';
import { rawExchange } from '../support/raw-http.js';
import { startRedis } from '../support/redis.js';
import { temporaryFolder } from '../support/sites.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

/** What nothing that is handed on may name. */
const canary = 'locked.example';

/**
 * Many sites behind one guard, of which one is open and one is locked: a request that is judged as the one and
 * names the other to what stands behind, in any of the ways in which a request can name a host. What stands
 * behind goes by each of them.
 */
export async function attackHosts(limits: Limits): Promise<Attacked> {
  const about = 'hosts, targets and headers that name two sites';
  if (lacksProgram('redis-server') !== false) return { name: 'hosts', tried: 0, found: [], about: 'without Redis' };
  const random = seededRandom(limits.seed);
  const pick = <T>(all: readonly T[]): T => all[random.below(all.length)] as T;
  const { folder, remove } = await temporaryFolder();
  const redis = await startRedis(folder);
  const client = redis.client();
  await once(client, 'ready');
  const { sites } = redisStores(client);
  // The one that is open trusts everybody's word about visitors, as its owner may have it do.
  const open = await policyText({}, { id: 'open', trustedProxies: ['127.0.0.0/8'] });
  const locked = await policyText({ all: { covers: ['/'], passwords: { aa: 'owl' } } }, { id: 'locked' });
  await sites.put({ id: 'open', since: 0, hosts: ['open.example', 'xn--ffen-5qa.example'], text: open });
  await sites.put({ id: 'locked', since: 0, hosts: ['locked.example', 'www.locked.example'], text: locked });
  const behind = createServer((request, response) => {
    const said = [request.url ?? '', ...request.rawHeaders].filter((one) => one.toLowerCase().includes(canary));
    response.end(`BEHIND ${said.join(' | ')}`);
  }).listen(0, '127.0.0.1');
  await once(behind, 'listening');
  const guard = await guardsFromRedis(client, { refusalDelay: () => Promise.resolve() });
  const { port } = behind.address() as AddressInfo;
  const site = await startSite({
    guard,
    source: { to: `http://127.0.0.1:${port}` },
    host: '127.0.0.1',
    port: 0,
    mayMove: false,
  });
  const hosts = ['open.example', 'locked.example', 'www.locked.example', 'xn--ffen-5qa.example', 'nobody.example', ''];
  const joins = [
    ',',
    ' ',
    ', ',
    ';',
    '@',
    '/',
    '\\',
    '#',
    '?',
    ':80',
    '.',
    '..',
    '%2e',
    '%00',
    '\t',
    ':80@',
    '\r\n ',
    '|',
  ];
  const spelled = () => {
    let host = pick(hosts);
    if (random.chance()) host += pick(joins) + pick(hosts);
    if (random.chance())
      host = pick([
        host.toUpperCase(),
        `${host}.`,
        `${host}:${pick(['80', '443', '0', '99999', 'x', ''])}`,
        ` ${host} `,
      ]);
    return host;
  };
  const names = [
    'X-Forwarded-Host',
    'X_Forwarded_Host',
    'X-Forwarded-Server',
    'X-Host',
    'X-Original-Host',
    'X-HTTP-Host-Override',
    'Forwarded',
    'Dorlin-Site',
    'X-Original-URL',
    'X-Rewrite-URL',
    'X-Forwarded-Path',
    'Connection',
  ];
  const found: string[] = [];
  let tried = 0;
  let served = 0;
  try {
    for (; !isOver(limits, tried); tried++) {
      const target = pick([
        '/about',
        '/about',
        `http://${spelled()}/about`,
        `HTTP://${spelled()}:80/about`,
        `//${spelled()}/about`,
        `http:/${spelled()}/about`,
        `/@${spelled()}/about`,
        `${spelled()}:80`,
        '*',
      ]);
      const headers = [
        `Host: ${random.below(4) === 0 ? spelled() : pick(['open.example', 'OPEN.example:80', 'open.example.'])}`,
      ];
      if (random.below(5) === 0) headers.push(`Host: ${spelled()}`);
      for (let more = random.below(3); more > 0; more--) {
        const name = pick(names);
        headers.push(
          `${name}: ${name === 'Forwarded' ? `for=192.0.2.1;host="${spelled()}"` : name === 'Connection' ? 'host, x-forwarded-host' : spelled()}`,
        );
      }
      if (random.chance()) headers.reverse();
      const version = pick(['1.1', '1.1', '1.1', '1.0']);
      const method = pick(['GET', 'GET', 'HEAD', 'POST', 'CONNECT', 'OPTIONS']);
      const text = `${method} ${target} HTTP/${version}\r\n${headers.join('\r\n')}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`;
      const answer = await rawExchange(site.port, text);
      const said = /BEHIND ([^]*)$/.exec(answer)?.[1];
      if (said === undefined) continue;
      served++;
      // A path may hold any letters; a host, or what is taken for one, may not.
      const led = said.split(' | ').filter((one) => one !== '' && !one.startsWith('/'));
      if (led.length > 0) found.push(`${JSON.stringify(text)} led to ${led.join(' | ')}`);
    }
  } finally {
    await site.close();
    behind.close();
    await redis.close();
    await remove();
  }
  return { name: 'hosts', tried, found, about: `${about}; ${served} reached what stands behind` };
}
