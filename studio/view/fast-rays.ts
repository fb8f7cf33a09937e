import * as THREE from 'three';

type Library = typeof import('three-mesh-bvh');
let library: Library | undefined;
let asked: Promise<void> | undefined;
const waiting = new Set<THREE.BufferGeometry>();
type Fast = THREE.BufferGeometry & { boundsTree?: unknown };

/** Rays find triangles of this mesh through a tree of boxes, as soon as what builds the tree is here; until then they look at all of them. */
export function speedUp(g: THREE.BufferGeometry): void {
  if (library) (g as Fast).boundsTree = new library.MeshBVH(g, { indirect: true });
  else waiting.add(g);
}
export function letGo(g: THREE.BufferGeometry): void {
  waiting.delete(g);
  (g as Fast).boundsTree = undefined;
}
/** Loads what builds the trees: not needed for the first picture, so it comes when the view first rests. */
export function loadFastRays(): Promise<void> {
  asked ??= import('three-mesh-bvh').then(
    (m) => {
      library = m;
      THREE.Mesh.prototype.raycast = m.acceleratedRaycast;
      for (const g of waiting) speedUp(g);
      waiting.clear();
    },
    () => {
      // rays stay slow but right; the next rest tries again
      asked = undefined;
    },
  );
  return asked;
}
