import type { LookName } from '../looks/names.js';
import type { Block, BlockPicture } from './block-schema.js';
import type { Color } from './color.js';
import type { Texts } from './parts.js';
import type { ColorRole, Position, Shadow } from './roles.js';
import type { TextKey } from './text-keys.js';

/** Where the text of a screen stands. */
export type Layout =
  /** Text beside a picture. */
  | 'side'
  /** On a card. */
  | 'card'
  /** On a picture that covers all. */
  | 'cover'
  /** In a band across the page. */
  | 'band'
  /** One plain column. */
  | 'sheet';

/** Whether a screen follows what the visitor prefers, or is always light or dark. */
export type Scheme = 'both' | 'light' | 'dark';

/** In pixels, or by word: as wide as the text around it, or as its own words. */
export type Width = number | 'full' | 'auto';

/** What a field and a button have alike, where it is another than the look's. In pixels. */
export interface ControlDocument {
  /** 0 to 40. */
  readonly radius?: number | undefined;
  /** 0 to 6. */
  readonly border?: number | undefined;
  /** 6 to 28. */
  readonly padding?: number | undefined;
  readonly shadow?: Shadow | undefined;
  /** 120 to 640, where it is a number. */
  readonly width?: Width | undefined;
}

/** A font file of the site, open to everybody. */
export interface FontFileDocument {
  readonly family: string;
  /** A path of the site. */
  readonly file: string;
  /** One weight or two: `400`, `300 800`. */
  readonly weight?: string | undefined;
  readonly style: 'normal' | 'italic';
}

/** The owner's mark, with the room that it takes, in pixels. */
export interface LogoDocument extends BlockPicture {
  /** Where it leads. */
  readonly link?: string | undefined;
}

/** Some of them, where an owner has said them. */
export type SomeOf<Values> = { readonly [Key in keyof Values]?: Values[Key] | undefined };

/**
 * One screen, as the policy has it under `screens`, with what was not written filled in. What is left
 * undefined is the look's.
 */
export interface ScreenDocument {
  /** The look that it starts from. */
  readonly look: LookName;
  readonly layout?: Layout | undefined;
  /** @default both */
  readonly scheme?: Scheme | undefined;
  /** Its texts: one for all languages, or by language tag. Others are built in. */
  readonly text: SomeOf<Record<TextKey, Texts>>;
  readonly logo?: LogoDocument | undefined;
  /** The way home; else the start page, where that is open. */
  readonly home?: 'none' | { readonly to: string } | undefined;
  /** By what they are for. */
  readonly colors: {
    readonly light: SomeOf<Record<ColorRole, Color>>;
    readonly dark: SomeOf<Record<ColorRole, Color>>;
  };
  readonly type: {
    /** Font families as CSS has them. */
    readonly family?: string | undefined;
    /** In pixels, 14 to 24. */
    readonly size?: number | undefined;
    readonly heading: SomeOf<{
      readonly family: string;
      /** In pixels, 22 to 96. */
      readonly size: number;
      /** 300 to 900. */
      readonly weight: number;
    }>;
    /** At most four. */
    readonly files: readonly FontFileDocument[];
  };
  /** What the text stands on. Lengths are in pixels. */
  readonly card: SomeOf<{
    /** 280 to 960. */
    readonly width: number;
    /** 0 to 96. */
    readonly padding: number;
    /** 0 to 64. */
    readonly radius: number;
    /** 0 to 12. */
    readonly border: number;
    readonly shadow: Shadow;
    /** 0 is clear, 1 hides what is behind. */
    readonly opacity: number;
    readonly position: Position;
  }>;
  readonly field: ControlDocument;
  readonly button: ControlDocument;
  readonly background: SomeOf<{
    /** In degrees, from the color `page` to `pageEnd`; 180 is downwards. */
    readonly gradient: number;
    /** A picture of the site that is open to everybody, or `data:`. */
    readonly picture: string;
    /** Covering all, whole, or its own size. */
    readonly fit: 'cover' | 'contain' | 'own';
    readonly position: Position;
    /** Whether it is laid like tiles. */
    readonly repeat: boolean;
    /** How much of the color `page` lies over the picture, 0 to 1. */
    readonly overlay: number;
  }>;
  /** In the place of the look's drawing: one's own, or none. */
  readonly picture?:
    'none' | { readonly picture: string; readonly alt: Texts; readonly position: Position } | undefined;
  /** Above the form; at most eight. */
  readonly above: readonly Block[];
  /** Below it; at most eight. */
  readonly below: readonly Block[];
  /** Whether the form in the place of a section looks like the screen or the site. */
  readonly sections: 'screen' | 'site';
  /** More CSS, behind all other. */
  readonly css?: string | undefined;
}
