import type { UncutReason } from './cut.js';

/** Why a page is shut as a whole: nothing can be cut out of it, or it cannot be read. */
export type ShutReason = UncutReason | 'too-deep' | 'unreadable';

/** The same in words, behind “The page is shut, as”. */
export const shutWords: Readonly<Record<ShutReason, string>> = {
  stray: 'the tag of a section stands where HTML takes none, such as a row outside of a table',
  frames: 'it is a page of frames',
  whole: 'the section is all of the page: its html, head or body',
  select: 'the section lies in a select, or a select of the page holds more than options and groups in balance',
  patches: 'it has templates that put things into other elements',
  frame: 'the section lies in the srcdoc of a frame',
  tangled:
    'what the section holds and what others hold are entangled: text straight in a table, or tags closed in another order than opened',
  'too-deep': 'its elements are nested too deep',
  unreadable: 'its type, its encoding or its compression cannot be read for certain',
};
