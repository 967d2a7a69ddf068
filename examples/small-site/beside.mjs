// What the examples share that run Dorlin beside another server.
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

export const small = fileURLToPath(new URL('.', import.meta.url));
export const dorlin = fileURLToPath(new URL('./node/dorlin.js', import.meta.resolve('dorlin/policy.schema.json')));

const children = [];
const endAll = () => children.forEach((one) => one.kill());
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, endAll);

/** Starts a program; none is of use without the others, so all end with the first. */
export function run(command, args, options = {}) {
  const child = spawn(command, args, { stdio: 'inherit', ...options });
  children.push(child);
  child.on('exit', endAll);
  child.on('error', ({ message }) => {
    console.error(message);
    process.exitCode = 2;
    endAll();
  });
}
