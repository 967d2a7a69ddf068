/** How a handler of fetch style is served in a runtime that is not Node. */
import { guardFetch, guardFromText } from 'dorlin/fetch';

export type Runtime = 'deno' | 'bun' | 'workerd';

declare const Deno: {
  serve(options: object, handler: (request: Request, info: unknown) => Promise<Response>): unknown;
};
declare const Bun: { serve(options: object): unknown };

type Answer = (request: Request, beside: unknown) => Promise<Response>;

/**
 * A site behind a guard, in the runtime that this is bundled for.
 * @param more - of what Bun is told besides
 * @returns what a worker exports
 */
export function serveGuarded(
  runtime: Runtime,
  { policy, secret, port }: { readonly policy: string; readonly secret: string; readonly port: number },
  site: (request: Request, beside: unknown) => Response | Promise<Response>,
  more: object = {},
): { readonly fetch: Answer } | undefined {
  const make = async (): Promise<Answer> => {
    const guard = await guardFromText(policy, { secret });
    // Where a platform says by a header of its own who is there, that is handed in.
    const address = (request: Request) => request.headers.get('cf-connecting-ip');
    return guardFetch<[unknown]>(guard, site, runtime === 'workerd' ? { address } : {});
  };
  // Made at the first request, as workers may do nothing before.
  let made: Promise<Answer> | undefined;
  const answer: Answer = async (request, beside) => (await (made ??= make()))(request, beside);
  const onListen = ({ port: at }: { port: number }) => {
    console.log(`listening at ${at}`);
  };
  if (runtime === 'deno') Deno.serve({ port, hostname: '127.0.0.1', onListen }, answer);
  if (runtime === 'bun')
    onListen(Bun.serve({ port, hostname: '127.0.0.1', fetch: answer, ...more }) as { port: number });
  // Bun would serve it once more.
  return runtime === 'workerd' ? { fetch: answer } : undefined;
}
