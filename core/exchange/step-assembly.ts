import { groupsOf, type OutGroup } from './out-part.ts';
import { encodeString, entities, refs } from './step-text.ts';

/**
 * Hangs the products of a written file, one a part and in their order, into assemblies that stand for the groups of the parts (ISO 10303-44):
 * a product for each group, an occurrence for each member, all in place. Text without groups stays as it is; nothing is done to a file whose
 * products are not as many as the parts.
 */
export function assemble(content: string, parts: readonly { readonly name: string; readonly path?: readonly string[] }[]): string {
  if (!parts.some((p) => p.path?.length)) return content;
  const e = entities(content);
  const all = (type: string) => [...e.type].filter(([, t]) => t === type).map(([id]) => id);
  const argsOf = (id: number) => refs(e.args.get(id) ?? '');
  const shapeOf = new Map(all('PRODUCT_DEFINITION_SHAPE').map((id) => [argsOf(id)[0], id]));
  const repOf = new Map(all('SHAPE_DEFINITION_REPRESENTATION').map((id) => [argsOf(id)[0], argsOf(id)[1]]));
  const definitions = all('PRODUCT_DEFINITION').sort((a, b) => a - b);
  if (definitions.length !== parts.length) return content;
  interface Holder {
    readonly definition: number;
    readonly rep: number;
    readonly axis: number;
    readonly name: string;
  }
  const members = definitions.map((definition, i): Holder | undefined => {
    const rep = repOf.get(shapeOf.get(definition) ?? -1);
    const axis = rep === undefined ? undefined : argsOf(rep).find((x) => e.type.get(x) === 'AXIS2_PLACEMENT_3D');
    return rep === undefined || axis === undefined ? undefined : { definition, rep, axis, name: encodeString(parts[i].name) };
  });
  const first = members[0];
  if (!first || members.some((m) => !m)) return content;
  // what all groups share: contexts of the first product, the space and the place of its representation
  const product = argsOf(argsOf(first.definition)[0])[0];
  const context = argsOf(product)[0];
  const stage = argsOf(first.definition)[1];
  const space = argsOf(first.rep).at(-1) as number;
  let next = Math.max(...e.type.keys()) + 1;
  const lines: string[] = [];
  const put = (text: string): number => {
    lines.push(`#${next}=${text};`);
    return next++;
  };
  const holder = (name: string): Holder => {
    const n = encodeString(name);
    const p = put(`PRODUCT('${n}','${n}','',(#${context}))`);
    const formation = put(`PRODUCT_DEFINITION_FORMATION('','',#${p})`);
    const definition = put(`PRODUCT_DEFINITION('design','',#${formation},#${stage})`);
    const shape = put(`PRODUCT_DEFINITION_SHAPE('','',#${definition})`);
    const rep = put(`SHAPE_REPRESENTATION('',(#${first.axis}),#${space})`);
    put(`SHAPE_DEFINITION_REPRESENTATION(#${shape},#${rep})`);
    put(`PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,(#${p}))`);
    return { definition, rep, axis: first.axis, name: n };
  };
  let occurrence = 0;
  const hang = (into: Holder, child: Holder) => {
    const use = put(`NEXT_ASSEMBLY_USAGE_OCCURRENCE('${++occurrence}','${child.name}','',#${into.definition},#${child.definition},$)`);
    const shape = put(`PRODUCT_DEFINITION_SHAPE('Placement','',#${use})`);
    const move = put(`ITEM_DEFINED_TRANSFORMATION('','',#${child.axis},#${into.axis})`);
    const relation = put(
      `(REPRESENTATION_RELATIONSHIP('','',#${child.rep},#${into.rep})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#${move})SHAPE_REPRESENTATION_RELATIONSHIP())`,
    );
    put(`CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#${relation},#${shape})`);
  };
  const level = (g: OutGroup): Holder => {
    const own = holder(g.name);
    const below = [...g.parts.map((i) => members[i] as Holder), ...g.groups.map(level)];
    for (const m of below) hang(own, m);
    return own;
  };
  groupsOf(parts).groups.forEach(level);
  const close = content.lastIndexOf('ENDSEC;');
  return `${content.slice(0, close)}${lines.join('\n')}\n${content.slice(close)}`;
}
