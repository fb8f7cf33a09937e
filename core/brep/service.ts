/**
 * What the B-rep kernel is asked for, as plain data: shapes travel as text, names come back as index maps. The service may live in another
 * thread; it can be killed at any time, and holds nothing between calls.
 */
export interface IndexMap {
  /** For each face of each input: indices of the result faces it became. Empty when it is gone. */
  readonly faces: readonly (readonly (readonly number[])[])[];
  readonly edges: readonly (readonly (readonly number[])[])[];
}
export interface KernelOps {
  /** Splits targets by tools (general split, nothing removed). `born` lists result edges made by a target face meeting a tool. */
  split: {
    args: { targets: string[]; tools: string[]; fuzzy: number };
    result: { text: string; map: IndexMap; born: { edge: number; target: number; face: number; tool: number; toolFace: number }[] };
  };
  sew: {
    args: { inputs: string[]; tolerance: number; nonManifold: boolean };
    result: { text: string; map: IndexMap; free: number; multiple: number };
  };
  boolean: {
    args: { first: string[]; second: string[]; kind: 'union' | 'subtract' | 'intersect'; fuzzy: number };
    result: { text: string; map: IndexMap };
  };
  /** Offset solid from an open sheet, or a shelled solid. `made` maps input faces to the offset faces they generated. */
  thick: {
    args: { input: string; distance: number; openFaces: number[]; method: 'simple' | 'join'; corner: 'sharp' | 'round'; tolerance: number };
    result: { text: string; map: IndexMap; made: number[][] };
  };
  offset: {
    args: { input: string; distance: number; method: 'simple' | 'join'; corner: 'sharp' | 'round'; tolerance: number };
    result: { text: string; made: number[][] };
  };
  /** Round or flat strips along edges, each with its smooth neighbours, also where several meet. `made` maps edges to the faces they became. */
  fillet: {
    args: { input: string; edges: number[]; size: number; kind: 'round' | 'flat' };
    result: { text: string; map: IndexMap; made: number[][] };
  };
  check: { args: { input: string }; result: { valid: boolean; badFaces: number[] } };
  mass: { args: { input: string }; result: { area: number; volume: number } };
  section: { args: { first: string; second: string }; result: { text: string } };
  readStep: { args: { data: Uint8Array }; result: { text: string; roots: number } };
  writeStep: { args: { inputs: string[]; schema: 'AP214' | 'AP242' | 'AP203'; unit: 'MM' | 'INCH' | 'M' }; result: { content: string } };
  /** Point-by-point evaluation of the first face; for measuring speed only. */
  evaluate: {
    args: { input: string; us: Float64Array; vs: Float64Array };
    result: { positions: Float64Array; normals: Float64Array; ms: number };
  };
  memory: { args: Record<string, never>; result: { bytes: number } };
}
export type KernelOp = keyof KernelOps;

export interface CallOptions {
  readonly signal?: AbortSignal;
  /** Milliseconds after which the call counts as hung. */
  readonly limit?: number;
}
export interface KernelService {
  run<K extends KernelOp>(op: K, args: KernelOps[K]['args'], options?: CallOptions): Promise<KernelOps[K]['result']>;
}

/** The kernel said no, hung or died. `fatal` means that its instance was replaced. */
export class KernelError extends Error {
  constructor(
    message: string,
    readonly kind: 'refused' | 'hung' | 'died' | 'cancelled' = 'refused',
  ) {
    super(message);
    this.name = 'KernelError';
  }
}
