import * as THREE from 'three';

let asked: Promise<void> | undefined;
type Fast = THREE.BufferGeometry & { boundsTree?: unknown; quick?: boolean };

/**
 * Rays find triangles of this mesh through a tree of boxes, as soon as what builds the tree is here; until then they look at all of them. The tree
 * is built by the first ray that is asked for: a mesh that is only seen, as in a drag, does without.
 */
export function speedUp(g: THREE.BufferGeometry): void {
  (g as Fast).quick = true;
}
export function letGo(g: THREE.BufferGeometry): void {
  (g as Fast).quick = false;
  (g as Fast).boundsTree = undefined;
}
/** Loads what builds the trees: not needed for the first picture, so it comes when the view first rests. */
export function loadFastRays(): Promise<void> {
  asked ??= import('three-mesh-bvh').then(
    (m) => {
      THREE.Mesh.prototype.raycast = function (raycaster, hits) {
        const g = this.geometry as Fast;
        if (g.quick && !g.boundsTree) g.boundsTree = new m.MeshBVH(g, { indirect: true });
        m.acceleratedRaycast.call(this, raycaster, hits);
      };
    },
    () => {
      // rays stay slow but right; the next rest tries again
      asked = undefined;
    },
  );
  return asked;
}
