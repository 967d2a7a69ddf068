/** What runs in the other runtimes: bundled for each, with the policy in it. */
import { serveGuarded, type Runtime } from '../../support/fetch-runtime.js';
import { theSecret } from '../policy.js';
import { answerOf, pathOf } from '../site.js';

declare const policyText: string;
declare const runtimeName: Runtime;
declare const portNumber: number;

export default serveGuarded(runtimeName, { policy: policyText, secret: theSecret, port: portNumber }, (request) => {
  const { status, type, body } = answerOf(pathOf(request.url));
  return new Response(body, { status, headers: { 'content-type': type } });
});
