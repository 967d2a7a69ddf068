import type { AddressInfo } from 'node:net';
import { SMTPServer } from 'smtp-server';

/** A server for letters on this machine, which keeps them: a line for each address, then the letter as it was sent. */
export async function startMailServer() {
  const letters: string[] = [];
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onData: (stream, { envelope }, done) => {
      let text = envelope.rcptTo.map(({ address }) => `${address}\n`).join('');
      stream.on('data', (data: Buffer) => (text += data.toString()));
      stream.on('end', () => {
        // Quoted-printable (RFC 2045 section 6.7), as far as these letters have it.
        letters.push(text.replaceAll('=\r\n', '').replaceAll('=3D', '='));
        done();
      });
    },
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    letters,
    url: `smtp://127.0.0.1:${(server.server.address() as AddressInfo).port}`,
    close: () => {
      server.close(() => undefined);
    },
  };
}
