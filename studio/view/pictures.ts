import * as THREE from 'three';

/** Longest side of a texture; larger pictures are shown smaller. */
const MOST = 4096;

/** Textures of stored pictures, by the file's address; each file is fetched and decoded once. */
export class Pictures {
  private readonly known = new Map<string, THREE.Texture>();
  constructor(
    private readonly ready: () => void,
    private readonly trouble: (message: string) => void,
  ) {}

  texture(asset: string, mime: string): THREE.Texture {
    const had = this.known.get(asset);
    if (had) return had;
    const t = new THREE.Texture();
    t.colorSpace = THREE.SRGBColorSpace;
    t.generateMipmaps = true;
    t.minFilter = THREE.LinearMipmapLinearFilter;
    t.anisotropy = 4;
    this.known.set(asset, t);
    this.load(asset, mime)
      .then((image) => {
        t.image = image;
        t.needsUpdate = true;
        this.ready();
      })
      .catch((e: Error) => {
        this.known.delete(asset);
        this.trouble(`A picture cannot be shown: ${e.message}`);
      });
    return t;
  }

  private async load(asset: string, mime: string): Promise<ImageBitmap> {
    const r = await fetch(`/api/assets/${asset}`);
    if (!r.ok) throw new Error('its stored file is missing');
    const blob = new Blob([await r.arrayBuffer()], { type: mime });
    const whole = await createImageBitmap(blob, { imageOrientation: 'flipY' }).catch(() => {
      throw new Error('it is damaged inside');
    });
    const k = MOST / Math.max(whole.width, whole.height);
    if (k >= 1) return whole;
    const small = await createImageBitmap(whole, {
      resizeWidth: Math.round(whole.width * k),
      resizeHeight: Math.round(whole.height * k),
      resizeQuality: 'high',
    });
    whole.close();
    return small;
  }

  dispose(): void {
    for (const t of this.known.values()) {
      (t.image as ImageBitmap | undefined)?.close?.();
      t.dispose();
    }
    this.known.clear();
  }
}
