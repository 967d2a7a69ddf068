import { execFileSync } from 'node:child_process';
import { join } from 'node:path';

/** A certificate for names of a test, signed by itself, and its key: as files in a folder. */
export function makeCertificate(folder: string, names: readonly string[]): { certificate: string; key: string } {
  const [certificate, key] = [join(folder, 'certificate.pem'), join(folder, 'key.pem')];
  const subject = ['-subj', `/CN=${names[0] ?? 'localhost'}`];
  const others = ['-addext', `subjectAltName=${names.map((name) => `DNS:${name}`).join(',')}`];
  const kind = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:prime256v1', '-nodes', '-days', '2'];
  execFileSync('openssl', ['req', '-x509', ...kind, '-keyout', key, '-out', certificate, ...subject, ...others], {
    stdio: 'ignore',
  });
  return { certificate, key };
}
