import { describe, expect, it } from 'vitest';
import { type Cage, crease, edgeName, FULL, pin } from '../cage/index.ts';
import { boxCage, done, fanCage } from '../testing/cages.ts';
import { mutate, seeded } from '../testing/mutate.ts';
import { readCageObj, writeCageObj } from './index.ts';
import { readObj } from './obj.ts';

const bytes = (s: string) => new TextEncoder().encode(s);
const sharpOf = (c: Cage) => Array.from({ length: c.shape.edges }, (_, e) => c.sharpness[e]);

describe('cages as OBJ', () => {
  it('come back the same: polygons, places to the last bit, creases in part and in full, held vertices, several in one file', () => {
    const cages = [
      { name: 'box', cage: boxCage(1) },
      { name: 'fan of five', cage: done(pin(done(crease(fanCage(5, 3, { sharp: 1.5 }), [0, 3], FULL)), [2], 2.5)) },
    ];
    const text = writeCageObj(cages);
    const r = readCageObj(bytes(text));
    if (!r.ok) throw new Error(r.message);
    expect(r.cages.map((c) => c.name)).toEqual(['box', 'fan of five']);
    cages.forEach(({ cage }, i) => {
      const back = r.cages[i].cage;
      expect([...back.points]).toEqual([...cage.points]);
      expect([...back.shape.corners]).toEqual([...cage.shape.corners]);
      expect([...back.shape.faceStart]).toEqual([...cage.shape.faceStart]);
      expect(sharpOf(back)).toEqual(sharpOf(cage));
      expect([...back.pins]).toEqual([...cage.pins]);
      expect(edgeName(back, 0)).toMatch(/~/);
    });
    // a reader of triangles passes over what it does not know
    const mesh = readObj(bytes(text));
    expect(mesh.ok && mesh.parts.length).toBe(2);
  });
  it('backward corners, normals and textures beside them; what cannot be is told', () => {
    const r = readCageObj(bytes('v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvn 0 0 1\nf -4//1 -3//1 -2//1 -1//1\nf 1 2 9\n#crease 1 2 full\n'));
    expect(r.ok && [r.cages[0].cage.shape.faces, r.notes, r.cages[0].cage.sharpness[0]]).toEqual([
      1,
      ['1 lines could not be used and were left out; the first is line 7'],
      FULL,
    ]);
    const three = readCageObj(bytes('v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nv 0 0 -1\nf 1 2 3\nf 1 2 4\nf 1 2 5\n'));
    expect(!three.ok && three.message).toMatch(/no whole cage/);
    const none = readCageObj(bytes('v 0 0 0\n'));
    expect(!none.ok && none.message).toMatch(/no faces/);
    const wrong = readCageObj(bytes('solid x'));
    expect(!wrong.ok && wrong.message).toMatch(/not an OBJ/);
  });
  it('200 damaged files: a cage or a sentence, never more', () => {
    const start = bytes(writeCageObj([{ name: 'a', cage: boxCage(1) }]));
    const random = seeded(9);
    for (let k = 0; k < 200; k++) {
      const r = readCageObj(mutate(start, random));
      if (r.ok) for (const c of r.cages) expect(c.cage.points.every(Number.isFinite)).toBe(true);
      else expect(r.message.length).toBeGreaterThan(15);
    }
  });
});
