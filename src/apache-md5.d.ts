declare module 'apache-md5' {
  /** The apr1 hash of a password, with the salt of another hash. */
  export default function apr1(password: string, salt?: string): string;
}
