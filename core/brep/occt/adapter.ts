import init from 'replicad-opencascadejs';
import { type IndexMap, KernelError, type KernelOp, type KernelOps } from '../service.ts';
import { type Handle, type Scope, withScope } from './scope.ts';

/** One instance of the kernel. Nothing outside this folder touches its objects. */
export interface Adapter {
  run<K extends KernelOp>(op: K, args: KernelOps[K]['args']): KernelOps[K]['result'];
}

/** Starts the kernel; with a compiled module it takes about a third of a second. */
export async function createAdapter(module?: WebAssembly.Module): Promise<Adapter> {
  const options: Record<string, unknown> = { print() {}, printErr() {} };
  if (module)
    options.instantiateWasm = (imports: WebAssembly.Imports, done: (i: WebAssembly.Instance, m: WebAssembly.Module) => void) => {
      WebAssembly.instantiate(module, imports).then((i) => done(i, module));
      return {};
    };
  const oc: Handle = await (init as unknown as (o: object) => Promise<Handle>)(options);
  return {
    run(op, args) {
      try {
        return withScope((scope) => (OPS[op] as (oc: Handle, s: Scope, a: unknown) => never)(oc, scope, args));
      } catch (e) {
        throw translate(oc, e);
      }
    },
  };
}

function translate(oc: Handle, e: unknown): Error {
  if (e instanceof KernelError) return e;
  const WasmException = (WebAssembly as unknown as { Exception?: new () => unknown }).Exception;
  if (WasmException && e instanceof WasmException) {
    try {
      return new KernelError(String((oc.getExceptionMessage(e) as string[]).filter(Boolean).join(': ')) || 'the kernel refused');
    } catch {
      return new KernelError('the kernel refused');
    }
  }
  if (e instanceof WebAssembly.RuntimeError) return new KernelError(`the kernel crashed: ${e.message}`, 'died');
  return new KernelError((e as Error)?.message ?? String(e));
}

const ANY = 'TopAbs_SHAPE';
const HASH = 2 ** 31 - 1;

function read(oc: Handle, s: Scope, text: string): Handle {
  const shape = s.own(oc.BRepToolsWrapper.Read(text));
  if (shape.IsNull()) throw new KernelError('the kernel could not read the shape');
  return shape;
}
const write = (oc: Handle, shape: Handle): string => {
  if (shape.IsNull()) throw new KernelError('the kernel gave no result');
  oc.BRepTools.Clean?.(shape, true);
  return oc.BRepToolsWrapper.Write(shape);
};
const progress = (oc: Handle, s: Scope) => s.own(new oc.Message_ProgressRange());

function list(oc: Handle, s: Scope, shapes: readonly Handle[]): Handle {
  const l = s.own(new oc.NCollection_List_TopoDS_Shape());
  for (const x of shapes) l.Append(x);
  return l;
}
function drain(s: Scope, l: Handle): Handle[] {
  const out: Handle[] = [];
  while (l.Size() > 0) {
    out.push(s.own(l.First()));
    l.RemoveFirst();
  }
  l.delete?.();
  return out;
}

/** Distinct sub-shapes in first-visit order, with look-up. */
class Index {
  readonly items: Handle[] = [];
  private readonly byHash = new Map<number, number[]>();
  constructor(
    private readonly oc: Handle,
    s: Scope,
    shape: Handle,
    kind: string,
  ) {
    const e = s.own(new oc.TopExp_Explorer(shape, kind, ANY));
    for (; e.More(); e.Next()) {
      const x = s.own(e.Current());
      if (this.of(x) >= 0) continue;
      const h = oc.ReplicadShapeHasher.HashCode(x, HASH);
      this.byHash.set(h, [...(this.byHash.get(h) ?? []), this.items.length]);
      this.items.push(x);
    }
  }
  of(x: Handle): number {
    const h = this.oc.ReplicadShapeHasher.HashCode(x, HASH);
    for (const i of this.byHash.get(h) ?? []) if (this.items[i].IsSame(x)) return i;
    return -1;
  }
}
const indices = (oc: Handle, s: Scope, shape: Handle) => ({
  faces: new Index(oc, s, shape, 'TopAbs_FACE'),
  edges: new Index(oc, s, shape, 'TopAbs_EDGE'),
});
type Indices = ReturnType<typeof indices>;

/** Where each sub-shape of the inputs went, by the operation's own history. */
function mapOf(_s: Scope, inputs: readonly Indices[], result: Indices, modified: (x: Handle) => Handle[]): IndexMap {
  const follow = (from: Index, to: Index) =>
    from.items.map((x) => {
      const kids = modified(x);
      if (kids.length) return kids.map((k) => to.of(k)).filter((i) => i >= 0);
      const same = to.of(x);
      return same >= 0 ? [same] : [];
    });
  return { faces: inputs.map((i) => follow(i.faces, result.faces)), edges: inputs.map((i) => follow(i.edges, result.edges)) };
}

type OpTable = { [K in KernelOp]: (oc: Handle, s: Scope, args: KernelOps[K]['args']) => KernelOps[K]['result'] };
const OPS: OpTable = {
  split(oc, s, { targets, tools, fuzzy }) {
    const A = targets.map((t) => read(oc, s, t));
    const T = tools.map((t) => read(oc, s, t));
    const op = s.operation(new oc.BRepAlgoAPI_Splitter());
    op.SetArguments(list(oc, s, A));
    op.SetTools(list(oc, s, T));
    if (fuzzy > 0) op.SetFuzzyValue(fuzzy);
    op.SetToFillHistory(true);
    op.Build(progress(oc, s));
    if (!op.IsDone()) throw new KernelError('the split did not finish');
    const shape = s.own(op.Shape());
    const result = indices(oc, s, shape);
    const a = A.map((x) => indices(oc, s, x));
    const t = T.map((x) => indices(oc, s, x));
    const map = mapOf(s, a, result, (x) => drain(s, op.Modified(x)));
    // a section edge has two parents: it shows up among the edges born of both
    const toolParent = new Map<number, [number, number]>();
    t.forEach((x, ti) =>
      x.faces.items.forEach((f, fi) => {
        for (const e of drain(s, op.Generated(f)))
          if (e.ShapeType() === 'TopAbs_EDGE') {
            const k = result.edges.of(e);
            if (k >= 0) toolParent.set(k, [ti, fi]);
          }
      }),
    );
    const born: KernelOps['split']['result']['born'] = [];
    a.forEach((x, target) =>
      x.faces.items.forEach((f, face) => {
        for (const e of drain(s, op.Generated(f)))
          if (e.ShapeType() === 'TopAbs_EDGE') {
            const edge = result.edges.of(e);
            const p = toolParent.get(edge);
            if (edge >= 0) born.push({ edge, target, face, tool: p?.[0] ?? 0, toolFace: p?.[1] ?? 0 });
          }
      }),
    );
    return { text: write(oc, shape), map, born };
  },

  sew(oc, s, { inputs, tolerance, nonManifold }) {
    const A = inputs.map((t) => read(oc, s, t));
    const op = s.own(new oc.BRepBuilderAPI_Sewing(tolerance, true, true, true, nonManifold));
    for (const x of A) op.Add(x);
    op.Perform(progress(oc, s));
    const shape = s.own(op.SewedShape());
    const result = indices(oc, s, shape);
    const map = mapOf(
      s,
      A.map((x) => indices(oc, s, x)),
      result,
      (x) => {
        if (x.ShapeType() === 'TopAbs_EDGE') return op.IsModifiedSubShape(x) ? [s.own(op.ModifiedSubShape(x))] : [];
        const m = op.IsModifiedSubShape(x) ? s.own(op.ModifiedSubShape(x)) : op.IsModified(x) ? s.own(op.Modified(x)) : undefined;
        return m ? [m] : [];
      },
    );
    return { text: write(oc, shape), map, free: op.NbFreeEdges(), multiple: op.NbMultipleEdges() };
  },

  boolean(oc, s, { first, second, kind, fuzzy }) {
    const A = first.map((t) => read(oc, s, t));
    const B = second.map((t) => read(oc, s, t));
    const name = { union: 'BRepAlgoAPI_Fuse', subtract: 'BRepAlgoAPI_Cut', intersect: 'BRepAlgoAPI_Common' }[kind];
    const op = s.operation(new oc[name]());
    op.SetArguments(list(oc, s, A));
    op.SetTools(list(oc, s, B));
    if (fuzzy > 0) op.SetFuzzyValue(fuzzy);
    op.SetToFillHistory(true);
    op.Build(progress(oc, s));
    if (!op.IsDone()) throw new KernelError('the boolean did not finish');
    const shape = s.own(op.Shape());
    return {
      text: write(oc, shape),
      map: mapOf(
        s,
        [...A, ...B].map((x) => indices(oc, s, x)),
        indices(oc, s, shape),
        (x) => drain(s, op.Modified(x)),
      ),
    };
  },

  thick(oc, s, { input, distance, openFaces, method, corner, tolerance }) {
    const shape = read(oc, s, input);
    const from = indices(oc, s, shape);
    const op = s.own(new oc.BRepOffsetAPI_MakeThickSolid());
    if (method === 'simple') {
      op.MakeThickSolidBySimple(shape, distance);
      if (!op.IsDone()) op.Build(progress(oc, s));
    } else
      op.MakeThickSolidByJoin(
        shape,
        list(
          oc,
          s,
          openFaces.map((i) => from.faces.items[i]),
        ),
        distance,
        tolerance,
        'BRepOffset_Skin',
        false,
        false,
        corner === 'round' ? 'GeomAbs_Arc' : 'GeomAbs_Intersection',
        false,
        progress(oc, s),
      );
    if (!op.IsDone()) throw new KernelError('the wall could not be built');
    const out = s.own(op.Shape());
    if (out.IsNull()) throw new KernelError('the wall could not be built');
    const result = indices(oc, s, out);
    const made = from.faces.items.map((f) =>
      drain(s, op.Generated(f))
        .map((x) => result.faces.of(x))
        .filter((i) => i >= 0),
    );
    return { text: write(oc, out), map: mapOf(s, [from], result, (x) => drain(s, op.Modified(x))), made };
  },

  offset(oc, s, { input, distance, method, corner, tolerance }) {
    const shape = read(oc, s, input);
    const from = indices(oc, s, shape);
    const op = s.own(new oc.BRepOffsetAPI_MakeOffsetShape());
    if (method === 'simple') op.PerformBySimple(shape, distance);
    else
      op.PerformByJoin(
        shape,
        distance,
        tolerance,
        'BRepOffset_Skin',
        false,
        false,
        corner === 'round' ? 'GeomAbs_Arc' : 'GeomAbs_Intersection',
        false,
        progress(oc, s),
      );
    if (!op.IsDone()) throw new KernelError('the offset could not be built');
    const out = s.own(op.Shape());
    const result = indices(oc, s, out);
    return {
      text: write(oc, out),
      made: from.faces.items.map((f) =>
        drain(s, op.Generated(f))
          .map((x) => result.faces.of(x))
          .filter((i) => i >= 0),
      ),
    };
  },

  fillet(oc, s, { input, edges, size, kind }) {
    const shape = read(oc, s, input);
    const from = indices(oc, s, shape);
    const op = s.own(
      kind === 'round' ? new oc.BRepFilletAPI_MakeFillet(shape, 'ChFi3d_Rational') : new oc.BRepFilletAPI_MakeChamfer(shape),
    );
    for (const i of edges) op.Add(size, oc.TopoDS.Edge(from.edges.items[i]));
    op.Build(progress(oc, s));
    if (!op.IsDone()) throw new KernelError('the fillet could not be built');
    const out = s.own(op.Shape());
    if (out.IsNull()) throw new KernelError('the fillet could not be built');
    const result = indices(oc, s, out);
    const made = edges.map((i) =>
      drain(s, op.Generated(from.edges.items[i]))
        .map((x) => result.faces.of(x))
        .filter((k) => k >= 0),
    );
    return { text: write(oc, out), map: mapOf(s, [from], result, (x) => drain(s, op.Modified(x))), made };
  },

  check(oc, s, { input }) {
    const shape = read(oc, s, input);
    const an = s.own(new oc.BRepCheck_Analyzer(shape, true, false, false));
    const faces = new Index(oc, s, shape, 'TopAbs_FACE');
    return { valid: an.IsValid(), badFaces: faces.items.flatMap((f, i) => (an.IsValid(f) ? [] : [i])) };
  },

  mass(oc, s, { input }) {
    const shape = read(oc, s, input);
    const g = s.own(new oc.GProp_GProps());
    oc.BRepGProp.SurfaceProperties(shape, g, 1e-7, false);
    const area = g.Mass();
    const h = s.own(new oc.GProp_GProps());
    oc.BRepGProp.VolumeProperties(shape, h, 1e-7, false);
    return { area, volume: h.Mass() };
  },

  section(oc, s, { first, second }) {
    const op = s.operation(new oc.BRepAlgoAPI_Section(read(oc, s, first), read(oc, s, second), false));
    op.ComputePCurveOn1(true);
    op.ComputePCurveOn2(true);
    op.Approximation(true);
    op.Build(progress(oc, s));
    return { text: write(oc, s.own(op.Shape())) };
  },

  readStep(oc, s, { data }) {
    const path = '/in.step';
    oc.FS.writeFile(path, data);
    try {
      const reader = s.own(new oc.STEPControl_Reader());
      const status = reader.ReadFile(path);
      if (status !== 'IFSelect_RetDone') throw new KernelError('the file is not a readable STEP file');
      const roots = reader.TransferRoots(progress(oc, s));
      const shape = s.own(reader.OneShape());
      if (!roots || shape.IsNull()) throw new KernelError('the STEP file holds no shapes');
      return { text: write(oc, shape), roots };
    } finally {
      oc.FS.unlink(path);
    }
  },

  writeStep(oc, s, { inputs, schema, unit }) {
    const path = '/out.step';
    const codes = { AP203: 'AP203', AP214: 'AP214IS', AP242: 'AP242DIS' };
    // settings are known only after the first writer was made, and taken by the next one
    s.own(new oc.STEPControl_Writer());
    if (!oc.Interface_Static.SetCVal('write.step.schema', codes[schema]) || !oc.Interface_Static.SetCVal('write.step.unit', unit))
      throw new KernelError('the kernel does not take the schema or the unit');
    const writer = s.own(new oc.STEPControl_Writer());
    for (const t of inputs) {
      const status = writer.Transfer(read(oc, s, t), 'STEPControl_AsIs', true, progress(oc, s));
      if (status !== 'IFSelect_RetDone') throw new KernelError('a body could not be written as STEP');
    }
    if (writer.Write(path) !== 'IFSelect_RetDone') throw new KernelError('the STEP file could not be written');
    const content = oc.FS.readFile(path, { encoding: 'utf8' });
    oc.FS.unlink(path);
    return { content };
  },

  evaluate(oc, s, { input, us, vs }) {
    const shape = read(oc, s, input);
    const face = oc.TopoDS.Face(new Index(oc, s, shape, 'TopAbs_FACE').items[0]);
    const surface = s.own(oc.BRep_Tool.Surface(face));
    const positions = new Float64Array(us.length * vs.length * 3);
    const normals = new Float64Array(us.length * vs.length * 3);
    const p = s.own(new oc.gp_Pnt());
    const du = s.own(new oc.gp_Vec());
    const dv = s.own(new oc.gp_Vec());
    const start = performance.now();
    for (let i = 0, o = 0; i < us.length; i++)
      for (let j = 0; j < vs.length; j++, o += 3) {
        surface.D1(us[i], vs[j], p, du, dv);
        positions[o] = p.X();
        positions[o + 1] = p.Y();
        positions[o + 2] = p.Z();
        const [ax, ay, az, bx, by, bz] = [du.X(), du.Y(), du.Z(), dv.X(), dv.Y(), dv.Z()];
        const [nx, ny, nz] = [ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx];
        const l = Math.hypot(nx, ny, nz) || 1;
        normals[o] = nx / l;
        normals[o + 1] = ny / l;
        normals[o + 2] = nz / l;
      }
    return { positions, normals, ms: performance.now() - start };
  },

  memory(oc) {
    return { bytes: oc.wasmMemory.buffer.byteLength };
  },
};
