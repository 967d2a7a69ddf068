/**
 * What core and guard use of the web platform, common to Node, browsers and workers. They are
 * compiled against this alone, so that nothing of Node or of a page can slip in.
 */
interface TextEncoder {
  encode(text: string): Uint8Array<ArrayBuffer>;
}
declare const TextEncoder: new () => TextEncoder;

interface TextDecoder {
  decode(bytes: Uint8Array): string;
}
declare const TextDecoder: new (label?: string, how?: { fatal: boolean }) => TextDecoder;

interface CryptoKey {
  readonly type: string;
}

type CipherAlgorithm = { name: string; iv: Uint8Array<ArrayBuffer>; additionalData?: Uint8Array<ArrayBuffer> };
type DerivingAlgorithm = {
  name: string;
  hash: string;
  salt: Uint8Array<ArrayBuffer>;
  info?: Uint8Array<ArrayBuffer>;
  iterations?: number;
};

interface SubtleCrypto {
  importKey(
    format: 'raw',
    key: Uint8Array<ArrayBuffer>,
    algorithm: string | { name: string; hash: string },
    extractable: boolean,
    uses: string[],
  ): Promise<CryptoKey>;
  exportKey(format: 'raw', key: CryptoKey): Promise<ArrayBuffer>;
  deriveKey(
    algorithm: DerivingAlgorithm,
    key: CryptoKey,
    of: { name: string; length: number },
    extractable: boolean,
    uses: string[],
  ): Promise<CryptoKey>;
  wrapKey(format: 'raw', key: CryptoKey, by: CryptoKey, algorithm: string): Promise<ArrayBuffer>;
  unwrapKey(
    format: 'raw',
    wrapped: Uint8Array<ArrayBuffer>,
    by: CryptoKey,
    algorithm: string | CipherAlgorithm,
    of: string | { name: string; length?: number; hash?: string },
    extractable: boolean,
    uses: string[],
  ): Promise<CryptoKey>;
  encrypt(algorithm: CipherAlgorithm, key: CryptoKey, data: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer>;
  decrypt(algorithm: CipherAlgorithm, key: CryptoKey, data: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer>;
  deriveBits(
    algorithm: {
      name: string;
      hash: string;
      salt: Uint8Array<ArrayBuffer>;
      info?: Uint8Array<ArrayBuffer>;
      iterations?: number;
    },
    key: CryptoKey,
    length: number,
  ): Promise<ArrayBuffer>;
  sign(algorithm: string, key: CryptoKey, data: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer>;
  digest(algorithm: string, data: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer>;
}

declare const crypto: { readonly subtle: SubtleCrypto };

declare function atob(letters: string): string;
declare function btoa(letters: string): string;

interface URL {
  readonly href: string;
  readonly origin: string;
  readonly protocol: string;
  readonly host: string;
  readonly hostname: string;
  readonly pathname: string;
  readonly search: string;
  readonly hash: string;
}
declare const URL: {
  new (address: string, base?: string): URL;
  canParse(address: string, base?: string): boolean;
};

interface DecompressionStream {
  readonly readable: ReadableStream<Uint8Array>;
  readonly writable: WritableStream<Uint8Array>;
}
declare const DecompressionStream: new (format: 'gzip') => DecompressionStream;

interface CompressionStream {
  readonly readable: ReadableStream<Uint8Array>;
  readonly writable: WritableStream<Uint8Array>;
}
declare const CompressionStream: new (format: 'gzip') => CompressionStream;

interface ReadableStream<Piece> {
  getReader(): { read(): Promise<{ readonly done: boolean; readonly value?: Piece }> };
}
interface WritableStream<Piece> {
  getWriter(): { write(piece: Piece): Promise<void>; close(): Promise<void> };
}

interface URLSearchParams extends Iterable<[string, string]> {
  get(name: string): string | null;
}
declare const URLSearchParams: new (text: string) => URLSearchParams;
