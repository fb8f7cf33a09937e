import { fits, type Pick, pieceKey, type Tool } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { PieceView } from '@ample-skin/engine';

/** What of a selection tells which tool comes next. */
type Nature =
  | 'closed curve'
  | 'open curve'
  | 'curves'
  | 'edge'
  | 'face'
  | 'skin'
  | 'skins'
  | 'solid'
  | 'solids'
  | 'plane'
  | 'point'
  | 'scan'
  | 'cage'
  | 'picture'
  | 'mixed';
/** Tools by likelihood for what is picked; those not named come after, in the order of the bench. */
const LIKELY: Record<Nature, readonly string[]> = {
  'closed curve': ['flat-skin', 'extrude', 'revolve', 'sweep', 'offset-curve', 'project-curve', 'loft'],
  'open curve': ['extrude', 'revolve', 'loft', 'tube', 'offset-curve', 'trim-curve', 'extend-curve', 'project-curve'],
  curves: ['loft', 'weave', 'sweep', 'ruled', 'join-curves', 'extrude', 'corners', 'between-curves', 'flat-skin', 'revolve'],
  edge: [
    'blend',
    'match-edge',
    'fillet',
    'edge-curve',
    'flat-skin',
    'loft',
    'weave',
    'normal-ruled',
    'extrude',
    'align-edge',
    'extend-skin',
    'match-curve',
  ],
  face: ['work-plane', 'untrim', 'remove-faces', 'skin-curve', 'replace-face', 'shell'],
  skin: [
    'trim',
    'thicken',
    'close',
    'offset-skin',
    'refit-skin',
    'outline-curve',
    'intersect-curve',
    'imprint',
    'move',
    'mirror',
    'array',
    'export',
  ],
  skins: ['knit', 'trim', 'between-skins', 'export', 'move'],
  solid: [
    'shell',
    'trim',
    'export',
    'move',
    'combine',
    'split-loop',
    'mirror',
    'array',
    'imprint',
    'outline-curve',
    'cut-sheets',
    'drawing',
  ],
  solids: ['combine', 'trim', 'export', 'move', 'mirror'],
  plane: ['mirror', 'trim', 'work-plane', 'intersect-curve'],
  point: ['loft', 'work-plane', 'move'],
  scan: ['scan-skin', 'move', 'mirror'],
  cage: ['cage-edit', 'cage-skin', 'cage-align', 'mirror', 'move', 'deform', 'array'],
  picture: ['move'],
  mixed: ['trim', 'project-curve', 'intersect-curve', 'knit', 'move', 'export'],
};

function natureOf(selection: readonly Pick[], pieces: ReadonlyMap<string, PieceView>): Nature {
  const kinds = selection.map((p) => ({
    kind: pieces.get(pieceKey(p.step, p.output))?.kind,
    part: p.part?.kind,
    piece: pieces.get(pieceKey(p.step, p.output)),
  }));
  const all = (test: (k: (typeof kinds)[number]) => boolean) => kinds.every(test);
  const many = kinds.length > 1;
  if (all((k) => k.part === 'edge')) return 'edge';
  if (all((k) => k.part === 'face')) return 'face';
  if (all((k) => k.part === 'vertex' || k.kind === 'point')) return 'point';
  if (kinds.some((k) => k.part)) return 'mixed';
  if (all((k) => k.kind === 'curve')) {
    const shape = kinds[0].piece?.facts.find((f) => f.label === 'shape')?.value ?? '';
    return many ? 'curves' : shape.startsWith('closed') && shape.includes('flat') ? 'closed curve' : 'open curve';
  }
  if (all((k) => k.kind === 'skin')) return many ? 'skins' : 'skin';
  if (all((k) => k.kind === 'solid')) return many ? 'solids' : 'solid';
  const first = kinds[0]?.kind;
  return first && all((k) => k.kind === first) ? (first as Nature) : 'mixed';
}

/** Tools that can take exactly this selection, in one slot or spread over several, the likeliest first. */
export function likelyTools(selection: readonly Pick[], pieces: ReadonlyMap<string, PieceView>): Tool[] {
  if (!selection.length) return [];
  const taken = (t: Tool): boolean => {
    let rest = [...selection];
    let needed = false;
    // slots that only another setting opens do not count
    const usual = t.params.safeParse({});
    const settings: Readonly<Record<string, unknown>> = usual.success ? usual.data : {};
    for (const s of Object.values(t.slots)) {
      if (s.when && !s.when.is.includes(settings[s.when.key])) continue;
      const fit = rest
        .filter((p) => {
          const kind = pieces.get(pieceKey(p.step, p.output))?.kind;
          return kind && fits(s.accepts, { kind } as never, p.part?.kind);
        })
        .slice(0, s.max);
      if (fit.length && s.min > 0) needed = true;
      rest = rest.filter((p) => !fit.includes(p));
    }
    return needed && !rest.length;
  };
  const order = LIKELY[natureOf(selection, pieces)];
  const rank = (t: Tool) => (order.includes(t.id) ? order.indexOf(t.id) : 100);
  return [...TOOLS.values()].filter(taken).sort((a, b) => rank(a) - rank(b));
}
