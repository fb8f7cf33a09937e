import { combineBodies, isWatertight, topologyOf, withShells } from '../brep/index.ts';
import { formatNumber, type Vec3 } from '../math/index.ts';
import { bodyPiece, type Diagnostic, defineEvaluation, type Fact, failure, inputBody, secondLooks } from '../recipe/index.ts';
import { mendFaults, REPAIR_KINDS } from '../repair/index.ts';
import tool from './repair.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const bodies = inputs.piece.map(inputBody);
  if (bodies.some((b) => !b)) return failure('not-a-body', 'Pick skins or solids');
  const list = bodies.flatMap((b) => (b ? [b] : []));
  const body = list.length === 1 ? list[0] : withShells({ ...combineBodies(list), solids: [] });
  const kinds = new Set(REPAIR_KINDS.filter((k) => p[k]));
  if (!kinds.size) return failure('nothing-asked', 'Switch on what is to be repaired');
  const r = mendFaults(body, {
    kinds,
    near: (p.near ?? undefined) as Vec3 | undefined,
    most: p.most,
    tolerance: context.tolerance,
    name: context.stepId,
    pause: () => context.signal?.throwIfAborted(),
  });
  const moved = Math.max(0, ...r.changes.map((c) => c.by));
  const diagnostics: Diagnostic[] = r.changes.map((c) => ({
    severity: 'note',
    code: `repaired-${c.kind}`,
    message: c.message,
    place: [c.place],
  }));
  for (const x of r.refused) diagnostics.push({ severity: 'warning', code: 'not-filled', message: x.message, place: [x.place] });
  const errors = r.left.filter((d) => d.severity === 'error');
  if (errors.length)
    diagnostics.push({
      severity: 'warning',
      code: 'faults-left',
      message: `${errors.length === 1 ? 'One fault is' : `${errors.length} faults are`} left: ${errors[0].message}`,
      place: errors.map((d) => d.place),
    });
  const rims = topologyOf(r.body).rims.length;
  const looks = r.body.solids.length ? secondLooks(r.body, context) : undefined;
  const count = (n: number, one: string, more: string) => (n === 1 ? `1 ${one}` : `${n} ${more}`);
  const facts: Fact[] = [
    { label: 'changed', value: r.changes.length ? count(r.changes.length, 'thing', 'things') : 'nothing: no fault of these kinds' },
    { label: 'moved most', value: moved > 0 ? `${formatNumber(moved, 5)} mm` : 'nothing moved', number: moved, unit: 'mm', limit: p.most },
    { label: 'faults', value: `${r.found.filter((d) => d.severity === 'error').length} before, ${errors.length} after` },
    { label: 'state', value: r.body.solids.length ? 'solid' : isWatertight(r.body) ? 'watertight' : count(rims, 'rim open', 'rims open') },
    ...(looks ? [looks.volume, looks.area, ...looks.facts] : []),
  ];
  return { outputs: { main: bodyPiece(r.body) }, diagnostics, facts, later: looks?.later };
});
