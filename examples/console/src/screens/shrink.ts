/** Larger than this in one direction, a picture is made smaller, in pixels. */
const mostPixels = 2000;
/** Heavier than this, in bytes, it is written anew. */
const heavy = 350_000;

/** A picture as it is kept: its bytes in base64, and its size in pixels. */
export interface ShrunkPicture {
  readonly data: string;
  readonly width: number;
  readonly height: number;
}

const base64 = async (blob: Blob): Promise<string> => {
  const url = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(typeof reader.result === 'string' ? reader.result : '');
    reader.onerror = () => reject(new Error('The file cannot be read.'));
    reader.readAsDataURL(blob);
  });
  return url.slice(url.indexOf(',') + 1);
};

/**
 * A picture fit for a screen that everybody loads: a heavy one is made smaller and written anew, in this browser.
 * Drawings and moving pictures stay as they are.
 */
export async function shrunk(file: File): Promise<ShrunkPicture> {
  const url = URL.createObjectURL(file);
  try {
    const image = new Image();
    image.src = url;
    await image.decode().catch(() => {
      throw new Error('This file is no picture that browsers show.');
    });
    // A drawing may have no size of its own.
    const [width, height] = [image.naturalWidth || 320, image.naturalHeight || 200];
    const scale = Math.min(1, mostPixels / width, mostPixels / height);
    const size = { width: Math.max(8, Math.round(width * scale)), height: Math.max(8, Math.round(height * scale)) };
    const mayStay = /svg|gif/.test(file.type) || (file.size <= heavy && scale === 1);
    if (mayStay) return { data: await base64(file), ...size };
    const canvas = document.createElement('canvas');
    Object.assign(canvas, size);
    canvas.getContext('2d')?.drawImage(image, 0, 0, size.width, size.height);
    const written = async (quality: number) =>
      new Promise<Blob | null>((resolve) => {
        canvas.toBlob(resolve, 'image/webp', quality);
      });
    const candidates = [await written(0.82), await written(0.6)].filter((one) => one !== null);
    const best = candidates.find((one) => one.size <= heavy) ?? candidates.at(-1);
    // What would be heavier anew stays as it was.
    return { data: await base64(best !== undefined && best.size < file.size ? best : file), ...size };
  } finally {
    URL.revokeObjectURL(url);
  }
}

/** The bytes of any file in base64. */
export const bytesOf = base64;
