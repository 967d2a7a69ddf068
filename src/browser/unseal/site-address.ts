/**
 * The address that a path of the site has where it is sealed: below its base. Slashes and backslashes in front of it go,
 * as two of either begin a host name (URL standard section 4.4). What is no path is an address of the owner's.
 */
export const siteAddress = (to: string, base: URL): string =>
  to.startsWith('/') ? new URL(to.replace(/^[/\\\s]+/, './'), base).href : to;
