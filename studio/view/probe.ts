import * as THREE from 'three';

export interface Readback {
  readonly width: number;
  readonly height: number;
  /** Unit normals as they are shaded, and places, x y z for each pixel in which a skin is seen, row by row from below. */
  readonly normals: Float32Array;
  readonly places: Float32Array;
}
/** Normals and places of skins at every pixel, drawn by the shader of the looks into floating point and read back. */
export function readNormals(
  gl: THREE.WebGLRenderer,
  scene: THREE.Scene,
  camera: THREE.Camera,
  skins: readonly THREE.Mesh[],
  width: number,
  height: number,
): Readback {
  const target = new THREE.WebGLRenderTarget(width, height, { type: THREE.FloatType });
  const keep = new Set<THREE.Object3D>(skins);
  const hidden: THREE.Object3D[] = [];
  scene.traverse((o) => {
    if (!o.visible || keep.has(o) || !('geometry' in o)) return;
    o.visible = false;
    hidden.push(o);
  });
  const materials = skins.map((m) => m.material as THREE.ShaderMaterial);
  const all: Float32Array[] = [];
  try {
    for (const probe of [1, 2]) {
      for (const m of materials) {
        m.defines = { ...m.defines, PROBE: probe };
        m.needsUpdate = true;
      }
      gl.setScissorTest(false);
      gl.setRenderTarget(target);
      gl.setClearColor(0, 0);
      gl.clear();
      gl.render(scene, camera);
      const raw = new Float32Array(4 * width * height);
      gl.readRenderTargetPixels(target, 0, 0, width, height, raw);
      all.push(raw);
    }
  } finally {
    for (const o of hidden) o.visible = true;
    for (const m of materials) {
      m.defines = { ...m.defines, PROBE: 0 };
      m.needsUpdate = true;
    }
    gl.setRenderTarget(null);
    target.dispose();
  }
  const seen = Array.from({ length: width * height }, (_, i) => i).filter((i) => all[1][4 * i + 3] > 0);
  const of = (raw: Float32Array): Float32Array => Float32Array.from(seen.flatMap((i) => [raw[4 * i], raw[4 * i + 1], raw[4 * i + 2]]));
  return { width, height, normals: of(all[0]), places: of(all[1]) };
}
