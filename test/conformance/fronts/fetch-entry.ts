/** What runs in the other runtimes: bundled for each, with the policy in it. */
import { guardFetch, guardFromText } from 'dorlin/fetch';
import { theSecret } from '../policy.js';
import { answerOf, pathOf } from '../site.js';

declare const policyText: string;
/** `deno`, `bun` or `workerd`. */
declare const runtimeName: string;
declare const portNumber: number;
declare const Deno: {
  serve(options: object, handler: (request: Request, info: unknown) => Promise<Response>): unknown;
};
declare const Bun: { serve(options: object): unknown };

const site = (request: Request): Response => {
  const { status, type, body } = answerOf(pathOf(request.url));
  return new Response(body, { status, headers: { 'content-type': type } });
};

// Made at the first request, as workers may do nothing before.
let made: Promise<(request: Request, beside: unknown) => Promise<Response>> | undefined;
const make = async () => {
  const guard = await guardFromText(policyText, { secret: theSecret });
  // Where a platform says by a header of its own who is there, that is handed in.
  const address = (request: Request) => request.headers.get('cf-connecting-ip');
  return guardFetch<[unknown]>(guard, site, runtimeName === 'workerd' ? { address } : {});
};
const answer = async (request: Request, beside: unknown) => (await (made ??= make()))(request, beside);

const onListen = ({ port }: { port: number }) => {
  console.log(`listening at ${port}`);
};
if (runtimeName === 'deno') Deno.serve({ port: portNumber, hostname: '127.0.0.1', onListen }, answer);
if (runtimeName === 'bun')
  onListen(Bun.serve({ port: portNumber, hostname: '127.0.0.1', fetch: answer }) as { port: number });

// Bun would serve it once more.
export default runtimeName === 'workerd' ? { fetch: answer } : undefined;
