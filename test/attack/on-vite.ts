import { connect } from 'node:net';
import { basename } from 'node:path';
import { createServer } from 'vite';
import { dorlin } from '../../src/vite.js';
import { seededRandom, type Random } from '../support/random.js';
import { siteToSeal } from '../support/sealed.js';
import { writeFiles } from '../support/sites.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

const page = (body: string) => `<!doctype html><html lang="en"><title>A page</title>${body}`;
const files = {
  'index.html': page('open'),
  'members/index.html': page('CANARY-PAGE<script type="module">document.title = "CANARY-INLINE"</script>'),
  'members/moon.svg': '<svg xmlns="http://www.w3.org/2000/svg"><title>CANARY-MOON</title></svg>',
  'members/code.js': 'export default "CANARY-CODE";',
  'members/own.css': '.CANARY-STYLE{color:red}',
  'members/data.json': '{"text":"CANARY-DATA"}',
  'public/members/plan.txt': 'CANARY-PLAN',
  'src/main.js': 'document.body.dataset.main = "ran";',
};
const queries =
  'raw,url,inline,import,import&raw,direct,worker,worker&inline,sharedworker,url&inline,t=1,v=abc,.js,.css,raw??,&raw,import&url&raw,html-proxy&index=0.js,html-proxy&direct&index=0.css,type=module,lang.js,used,init,commonjs-entry'.split(
    ',',
  );

/** One more address at which a server of sources might find a file. */
function addressOf(file: string, root: string, port: number, random: Random): string {
  const pick = <T>(all: readonly T[]) => all[random.below(all.length)] as T;
  const bare = root.slice(1);
  let path = pick([
    `/${file}`,
    `/${file.replace(/^public\//, '')}`,
    `/@fs${root}/${file}`,
    `/@fs/${root}/${file}`,
    `/@id/${root}/${file}`,
    `/@id/${bare}/${file}`,
    `/@id/${file}`,
    `/@id/__x00__${root}/${file}`,
    `/@fs${root}/../${basename(root)}/${file}`,
    `/${root}/${file}`,
    `/src/../${file}`,
    `/node_modules/../${file}`,
    `/@vite/client/../../${file}`,
  ]);
  for (let count = random.below(3); count > 0; count--) {
    const at = 1 + random.below(path.length);
    const letter = path[at] ?? 'x';
    path = pick([
      path.slice(0, at) + `%${letter.charCodeAt(0).toString(16).padStart(2, '0')}` + path.slice(at + 1),
      path.replaceAll('%', '%25'),
      path.replace('/', pick(['//', '/./', '/x/../', '\\', '/%2e/', '/@id/', '/@fs/'])),
      path.replace('members', pick(['Members', 'm%65mbers', 'members/.', 'members/../members'])),
      path + pick(['/', '%00', '%20', '.', ';x.js', '%00.js', '#x', '%23x', '%3Fraw']),
    ]);
  }
  const query = random.below(3) === 0 ? '' : `?${pick(queries)}${random.below(4) === 0 ? `&${pick(queries)}` : ''}`;
  const target = path.replaceAll(' ', '%20') + query;
  return pick(['', '', '', `http://127.0.0.1:${port}`, 'http://elsewhere.invalid', 'HTTP://127.0.0.1']) + target;
}

/** Asks for a target as it stands. */
const ask = (port: number, target: string) =>
  new Promise<string>((done) => {
    const socket = connect(port, '127.0.0.1');
    let answer = '';
    socket.setTimeout(3000, () => socket.destroy());
    socket.on('data', (data) => (answer += data.toString('latin1')));
    socket.on('error', () => undefined);
    socket.on('close', () => {
      done(answer);
    });
    socket.write(`GET ${target} HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\nconnection: close\r\n\r\n`);
  });

/** Vite’s development server, which finds one file by many addresses: by none of them what lies in a locked folder. */
export async function attackVite(limits: Limits): Promise<Attacked> {
  const random = seededRandom(limits.seed);
  const strong = 'heather lantern slow comet';
  const site = await siteToSeal({ members: { covers: ['/members/'], passwords: { aa: strong } } }, {}, {});
  await writeFiles(site.folder, files);
  const server = await createServer({
    root: site.folder,
    configFile: false,
    logLevel: 'silent',
    appType: 'mpa',
    server: { port: 0, host: '127.0.0.1' },
    plugins: [dorlin()],
  });
  await server.listen();
  const port = Number(new URL(server.resolvedUrls?.local[0] ?? '').port);
  const hidden = Object.keys(files).filter((name) => name.includes('members/'));
  const found: string[] = [];
  let [tried, answered] = [0, 0];
  while (!isOver(limits, tried)) {
    const targets = Array.from({ length: 16 }, () =>
      addressOf(hidden[random.below(hidden.length)] ?? '', site.folder, port, random),
    );
    await Promise.all(
      targets.map(async (target) => {
        const answer = await ask(port, target);
        tried++;
        if (answer.startsWith('HTTP/1.1 200')) answered++;
        if (answer.includes('CANARY')) found.push(target);
      }),
    );
  }
  await server.close();
  await site.remove();
  return { name: 'vite', tried, found, about: `${answered} were answered with something else` };
}
