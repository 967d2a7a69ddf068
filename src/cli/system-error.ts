import { DorlinError } from '../core/errors.js';

/** What the system says of files, in words. */
const fileWords: Readonly<Record<string, string>> = {
  EACCES: 'this user may not read or write it',
  EPERM: 'this user may not read or write it',
  EROFS: 'it lies where nothing can be written',
  ENOENT: 'there is no such file or folder',
  ENOTDIR: 'a part of its path is no folder',
  EISDIR: 'it is a folder',
  EEXIST: 'it is there already',
  ENOTEMPTY: 'it is a folder that is not empty',
  ENOSPC: 'the disk is full',
  EDQUOT: 'this user’s share of the disk is full',
  EMFILE: 'too many files are open',
  ENFILE: 'too many files are open',
  ENAMETOOLONG: 'its name is too long',
  ELOOP: 'its links lead round in a circle',
  EBUSY: 'something else uses it',
};

/** And of addresses to listen at, or to ask. */
const addressWords: Readonly<Record<string, string>> = {
  EADDRNOTAVAIL: 'this machine does not have that address',
  EADDRINUSE: 'something else listens there',
  EACCES: 'this user may not listen there',
  ENOTFOUND: 'there is no such host',
  EAI_AGAIN: 'the host’s name could not be looked up just now',
  EINVAL: 'it is no address of a machine',
  EAFNOSUPPORT: 'this machine has no addresses of that kind',
};

/** An error of the system as one that is told in words; undefined for every other. */
export function systemError(error: unknown): DorlinError | undefined {
  if (!(error instanceof Error) || !('syscall' in error)) return undefined;
  const {
    code = '',
    path,
    syscall,
    address,
    hostname,
  } = error as NodeJS.ErrnoException & {
    readonly address?: string;
    readonly hostname?: string;
  };
  if (/^(?:listen|bind|connect|getaddrinfo)$/.test(syscall ?? '')) {
    const why = addressWords[code];
    const where = hostname ?? address ?? 'The address';
    if (why === undefined) return undefined;
    return new DorlinError('address-unusable', `${where}: ${why}.`, { cause: error });
  }
  const why = fileWords[code];
  if (why === undefined) return undefined;
  return new DorlinError('file-unusable', `${(path ?? 'A file').replace(/\.\d{6,}$/, '')}: ${why}.`, { cause: error });
}
