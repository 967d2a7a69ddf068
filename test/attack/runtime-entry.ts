/** The attacked site in another runtime than Node, by what its addresses say there. */
import { serveGuarded, type Runtime } from '../support/fetch-runtime.js';
import { answerFromAddress } from './answer-from-address.js';

declare const policyText: string;
declare const runtimeName: Runtime;
declare const portNumber: number;

const secret = 'attack-attack-attack-attack-attack';
export default serveGuarded(runtimeName, { policy: policyText, secret, port: portNumber }, answerFromAddress);
