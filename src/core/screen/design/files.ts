import type { Design } from './design.js';

/** The paths of the site's files that a screen shows or loads. */
export function filesOf({ logo, background, picture, above, below, fontFiles }: Design): string[] {
  const blocks = [...above, ...below].flatMap((block) =>
    block.kind === 'picture' ? [block.picture] : block.kind === 'pictures' ? block.pictures : [],
  );
  const all = [
    logo?.picture,
    background.picture,
    typeof picture === 'object' ? picture.picture : undefined,
    ...blocks.map((block) => block.picture),
    ...fontFiles.map(({ file }) => file),
  ];
  const paths = all.filter((one) => one !== undefined && one.startsWith('/'));
  return [...new Set(paths as string[])];
}
