import type { Color } from '../design/color.js';
import type { Palette } from '../design/design.js';

type Derived = 'pageEnd' | 'link' | 'fieldText' | 'buttonLine';

/** A palette; what is not said in it is as that which it stands beside. */
export function palette(said: Omit<Palette, Derived> & { [Role in Derived]?: Color }): Palette {
  return {
    pageEnd: said.page,
    link: said.text,
    fieldText: said.text,
    buttonLine: said.button,
    ...said,
  };
}
