import * as THREE from 'three';

export interface PictureSize {
  readonly width: number;
  readonly height: number;
  /** On the colour of the page, or on nothing. */
  readonly ground: 'paper' | 'none';
}
/** A scene as sRGB pixels from the top, drawn beside the screen with four samples a pixel. */
export function renderPixels(
  gl: THREE.WebGLRenderer,
  scene: THREE.Scene,
  camera: THREE.Camera,
  { width, height, ground }: PictureSize,
  page: THREE.ColorRepresentation,
): Uint8ClampedArray<ArrayBuffer> {
  // beside the screen colours are linear: half floats keep the dark ones apart
  const target = new THREE.WebGLRenderTarget(width, height, { samples: 4, type: THREE.HalfFloatType });
  const raw = new Uint16Array(4 * width * height);
  try {
    gl.setScissorTest(false);
    gl.setRenderTarget(target);
    gl.setClearColor(page, ground === 'paper' ? 1 : 0);
    gl.clear();
    gl.render(scene, camera);
    gl.readRenderTargetPixels(target, 0, 0, width, height, raw);
  } finally {
    gl.setRenderTarget(null);
    gl.setClearColor(page, 1);
    target.dispose();
  }
  const curve = Float32Array.from({ length: 65536 }, (_, i) => THREE.DataUtils.fromHalfFloat(i));
  const out = new Uint8ClampedArray(4 * width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [from, to] = [4 * ((height - 1 - y) * width + x), 4 * (y * width + x)];
      const alpha = ground === 'paper' ? 1 : Math.min(1, Math.max(0, curve[raw[from + 3]]));
      // at the rim of what is drawn the colour is mixed with nothing: it is taken apart again
      for (let k = 0; k < 3; k++) out[to + k] = 255 * encoded(alpha > 0 ? curve[raw[from + k]] / alpha : 0);
      out[to + 3] = 255 * alpha;
    }
  return out;
}
/** Linear light as sRGB (IEC 61966-2-1). */
const encoded = (x: number): number => (x <= 0.0031308 ? 12.92 * x : 1.055 * Math.min(1, x) ** (1 / 2.4) - 0.055);

export async function pngOf(pixels: Uint8ClampedArray<ArrayBuffer>, width: number, height: number): Promise<Uint8Array> {
  const canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext('2d');
  if (!context) throw new Error('this browser draws no pictures beside the page');
  context.putImageData(new ImageData(pixels, width, height), 0, 0);
  const blob = await canvas.convertToBlob({ type: 'image/png' });
  return new Uint8Array(await blob.arrayBuffer());
}
