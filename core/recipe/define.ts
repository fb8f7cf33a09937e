/** What a tool's definition is written with; loads no geometry, so that a page can load every definition. */
export * as param from './params.ts';
export { metaOf, type ParamMeta } from './params.ts';
export * from './tool.ts';
