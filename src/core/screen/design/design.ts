import type { LookName } from '../looks/names.js';
import type { Block } from './block-schema.js';
import type { Color } from './color.js';
import type { Texts } from './parts.js';
import type { ColorRole, Position, Shadow } from './roles.js';
import type { Layout, Scheme, ScreenDocument, Width } from './document.js';

export type Palette = Readonly<Record<ColorRole, Color>>;

/** Border, corners and so on of a field or a button, in pixels. */
export interface Control {
  readonly radius: number;
  readonly border: number;
  readonly padding: number;
  readonly shadow: Shadow;
  readonly width: Width;
}

/** What a look is made of: all that an owner may say, said. Sizes are in pixels. */
export interface Look {
  readonly name: LookName;
  /** Told in a list of looks. */
  readonly about: string;
  readonly layout: Layout;
  readonly colors: { readonly light: Palette; readonly dark: Palette };
  readonly type: {
    readonly family: string;
    readonly size: number;
    readonly heading: { readonly family: string; readonly size: number; readonly weight: number };
  };
  readonly card: {
    readonly width: number;
    readonly padding: number;
    readonly radius: number;
    readonly border: number;
    readonly shadow: Shadow;
    /** 0 is clear, 1 hides what is behind. */
    readonly opacity: number;
    readonly position: Position;
  };
  readonly field: Control;
  readonly button: Control;
  /** In degrees, as CSS has them; from `page` to `pageEnd`. */
  readonly gradient: number | undefined;
  /** Its drawing as HTML. What is lit while a password opens the lock is dark where none does. */
  readonly drawing?: ((isOpenable: boolean) => string) | undefined;
  /** More CSS of the look, for its words. */
  readonly css: string;
  /** CSS of its drawing, and of the layout that it was drawn for. */
  readonly drawingCss: string;
}

/** A design: a look, with what the owner has said in the place of what it says. */
export interface Design extends Omit<Look, 'name' | 'about' | 'gradient'> {
  readonly look: LookName;
  readonly scheme: Scheme;
  readonly text: ScreenDocument['text'];
  readonly logo: ScreenDocument['logo'];
  /** The way home: none, an address, or undefined for the start page where that is open. */
  readonly home: { readonly to: string } | 'none' | undefined;
  readonly fontFiles: ScreenDocument['type']['files'];
  readonly background: {
    readonly gradient: number | undefined;
    readonly picture: string | undefined;
    readonly fit: 'cover' | 'contain' | 'own';
    readonly position: Position;
    readonly repeat: boolean;
    readonly overlay: number;
  };
  /** In the place of the look's drawing: none, or the owner's picture. */
  readonly picture: { readonly picture: string; readonly alt: Texts; readonly position: Position } | 'none' | undefined;
  readonly above: readonly Block[];
  readonly below: readonly Block[];
  /** Whether the form in the place of a section looks like the screen. */
  readonly dressesSections: boolean;
  readonly ownCss: string;
}

/** What an owner has said of a screen, over the look that it starts from. */
export function designOf(document: ScreenDocument, look: Look): Design {
  const { colors, type, card, field, button, background } = document;
  const filled = <T extends object>(base: T, said: { [Key in keyof T]?: T[Key] | undefined }): T => ({
    ...base,
    ...Object.fromEntries(Object.entries(said).filter(([, value]) => value !== undefined)),
  });
  const layout = document.layout ?? look.layout;
  // A drawing is made for one layout, and gives way to the owner's picture.
  const isDrawn = layout === look.layout && document.picture === undefined && background.picture === undefined;
  return {
    look: look.name,
    layout,
    scheme: document.scheme ?? 'both',
    text: document.text,
    logo: document.logo,
    home: document.home,
    colors: {
      light: filled(look.colors.light, colors.light),
      dark: filled(look.colors.dark, colors.dark),
    },
    type: {
      family: type.family ?? look.type.family,
      size: type.size ?? look.type.size,
      heading: filled(look.type.heading, type.heading),
    },
    fontFiles: type.files,
    card: filled(look.card, card),
    field: filled(look.field, field),
    button: filled(look.button, button),
    background: {
      gradient: background.gradient ?? look.gradient,
      picture: background.picture,
      fit: background.fit ?? 'cover',
      position: background.position ?? 'center',
      repeat: background.repeat ?? false,
      overlay: background.overlay ?? (background.picture === undefined ? 0 : 0.6),
    },
    picture: document.picture,
    drawing: isDrawn ? look.drawing : undefined,
    css: look.css,
    drawingCss: isDrawn ? look.drawingCss : '',
    above: document.above,
    below: document.below,
    dressesSections: document.sections === 'screen',
    ownCss: document.css ?? '',
  };
}
