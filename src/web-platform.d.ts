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

interface SubtleCrypto {
  importKey(
    format: 'raw',
    key: Uint8Array<ArrayBuffer>,
    algorithm: string | { name: string; hash: string },
    extractable: boolean,
    uses: string[],
  ): Promise<CryptoKey>;
  deriveBits(
    algorithm: {
      name: string;
      hash: string;
      salt: Uint8Array<ArrayBuffer>;
      info: Uint8Array<ArrayBuffer>;
    },
    key: CryptoKey,
    length: number,
  ): Promise<ArrayBuffer>;
  sign(algorithm: string, key: CryptoKey, data: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer>;
  digest(algorithm: string, data: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer>;
}

declare const crypto: { readonly subtle: SubtleCrypto };

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
