// Dorlin in front of an application that knows nothing of it, here one in Python: `npm start -w examples/proxy`.
import { createServer } from 'node:net';
import { fileURLToPath } from 'node:url';
import { dorlin, run, small } from '../small-site/beside.mjs';

/** A port that is free, for the application alone. */
const behind = await new Promise((resolve) => {
  const server = createServer().listen(0, '127.0.0.1', () => {
    const { port } = server.address();
    server.close(() => resolve(port));
  });
});

// On this machine alone: nobody must reach it past Dorlin.
const application = fileURLToPath(new URL('application.py', import.meta.url));
run('python3', [application, String(behind), `${small}site`]);
const port = process.env.PORT ?? '4319';
run(process.execPath, [
  ...[dorlin, 'serve', '--policy', `${small}dorlin.yaml`],
  ...['--to', `http://127.0.0.1:${behind}`, '--port', port],
]);
console.log(`An application in Python, guarded: http://localhost:${port}/`);
