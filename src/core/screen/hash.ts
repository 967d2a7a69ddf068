import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import { base64url } from 'jose';

/** The SHA-256 of a text, in base64url. Here and now, unlike that of WebCrypto. */
export const hashOf = (text: string) => base64url.encode(sha256(utf8ToBytes(text)));

/** The same as a Content-Security-Policy has it: `'sha256-…='` (CSP level 3, section 2.3.1). */
export const cspHashOf = (text: string) => `'sha256-${hashOf(text).replaceAll('-', '+').replaceAll('_', '/')}='`;
