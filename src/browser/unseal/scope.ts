/** What the worker uses of its surroundings (Service Workers, W3C; Cookie Store API). */
export interface WorkerScope {
  /** Put before the script when a site is sealed: its words, by language. */
  readonly dorlinWords: Readonly<Record<string, UnsealWords>>;
  readonly clients: { claim(): Promise<void> };
  readonly cookieStore?: {
    get(name: string): Promise<{ readonly value?: string } | null>;
    set(cookie: object): Promise<void>;
  };
  skipWaiting(): Promise<void>;
  addEventListener(type: 'install' | 'activate', listener: (event: Extended) => void): void;
  addEventListener(type: 'message', listener: (event: Extended & MessageEvent) => void): void;
  addEventListener(
    type: 'fetch',
    listener: (event: { readonly request: Request; respondWith(answer: Promise<Response>): void }) => void,
  ): void;
}

interface Extended {
  waitUntil(work: Promise<unknown>): void;
}

/** What is said where a browser cannot open anything, or not this. */
export interface UnsealWords {
  readonly wrong: string;
  readonly file: string;
  readonly plain: string;
  readonly old: string;
  readonly broken: string;
}
