import {
  type Body,
  checkBody,
  isWatertight,
  type KernelService,
  type MeshVerdict,
  massProperties,
  measuredBox,
  meshSolidity,
} from '../brep/index.ts';
import type { Box } from '../math/index.ts';
import { type Defect, findDefects } from './defects.ts';
import { DEFAULT_LIMITS, type GradeLimits } from './grades.ts';
import { measureRims, measureSeams, type SeamReport } from './seams.ts';

export interface CheckReport {
  readonly unit: 'mm';
  readonly faces: number;
  readonly seams: {
    readonly count: number;
    readonly worst: { readonly gapMm: number; readonly kinkDeg: number; readonly curvatureStepPct: number; readonly flowStepPct: number };
    readonly g0: number;
    readonly g1: number;
    /** G2 and better. */
    readonly g2: number;
    readonly g3: number;
  };
  readonly rims: { readonly count: number; readonly lengthMm: number };
  readonly watertight: boolean;
  readonly solids: number;
  readonly areaMm2: number;
  /** Meaningful when watertight, otherwise 0. */
  readonly volumeMm3: number;
  readonly bbox: Box;
  readonly valid: boolean;
  /** What the mesh library says of its mesh; only of a body without open rims. */
  readonly mesh?: MeshVerdict;
  readonly defects: readonly Defect[];
  readonly ms: number;
}

/** The whole test run of a body: seams, rims, mass, defects, and the kernel's own validity per face. g0, g1, g2 count seams by the grade they have; those of g2 that are even G3 stand in g3 too. */
export async function checkReport(
  b: Body,
  kernel: KernelService,
  tolerance: number,
  limits: GradeLimits = DEFAULT_LIMITS,
  seams: readonly SeamReport[] = measureSeams(b, limits),
): Promise<CheckReport> {
  const start = performance.now();
  const rims = measureRims(b);
  const mass = massProperties(b);
  const defects = [...findDefects(b, tolerance)];
  // edges that are off their faces leave gaps, however well the faces are joined on paper
  const watertight = isWatertight(b) && !defects.some((d) => d.code === 'loose-edge');
  // a second opinion is told and does not decide: its own "valid" proves little, and so does its "invalid"
  const kernelSays = await checkBody(kernel, b);
  for (const f of kernelSays.badFaces)
    if (b.faces[f]) {
      const place = massProperties(b, [f]).areaCentre;
      const face = { index: f, name: b.faces[f].name, near: place };
      defects.push({
        code: 'second-opinion',
        severity: 'warning',
        message: `Another checker doubts face ${b.faces[f].name || f + 1}`,
        place,
        faces: [face],
        edges: [],
      });
    }
  const mesh = isWatertight(b) && b.faces.length ? await meshSolidity(b) : undefined;
  if (mesh && !mesh.solid)
    defects.push({
      code: 'mesh-solid',
      severity: 'warning',
      message: `Its mesh ${mesh.reason}`,
      place: mass.areaCentre,
      faces: [],
      edges: [],
    });
  const worst = (key: 'gap' | 'kink' | 'step' | 'flow') => seams.reduce((m, s) => Math.max(m, s[key]), 0);
  return {
    unit: 'mm',
    faces: b.faces.length,
    seams: {
      count: seams.length,
      worst: { gapMm: worst('gap'), kinkDeg: worst('kink'), curvatureStepPct: worst('step'), flowStepPct: worst('flow') },
      g0: seams.filter((s) => s.grade === 'G0').length,
      g1: seams.filter((s) => s.grade === 'G1').length,
      g2: seams.filter((s) => s.grade === 'G2' || s.grade === 'G3').length,
      g3: seams.filter((s) => s.grade === 'G3').length,
    },
    rims: { count: rims.length, lengthMm: rims.reduce((s, r) => s + r.length, 0) },
    watertight,
    solids: b.solids.length,
    areaMm2: mass.area,
    volumeMm3: watertight ? mass.volume : 0,
    bbox: measuredBox(b),
    valid: defects.every((d) => d.severity !== 'error' && d.code !== 'not-settled'),
    mesh,
    defects,
    ms: performance.now() - start,
  };
}
