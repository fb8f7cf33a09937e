import { type Cage, edgeName } from './cage.ts';

const indices = new WeakMap<Cage, { vertices: Map<string, number>; faces: Map<string, number>; edges: Map<string, number> }>();
/** Elements of a cage by their names. */
export function named(c: Cage): { vertices: Map<string, number>; faces: Map<string, number>; edges: Map<string, number> } {
  let found = indices.get(c);
  if (!found) {
    found = {
      vertices: new Map(c.vertexNames.map((n, i) => [n, i])),
      faces: new Map(c.faceNames.map((n, i) => [n, i])),
      edges: new Map(Array.from({ length: c.shape.edges }, (_, e) => [edgeName(c, e), e])),
    };
    indices.set(c, found);
  }
  return found;
}
