export * from './convert';
export * from './pyramid';
export * from './corners';
export { trackPoints } from './klt';
export * from './align';
export * from './warp';
export * from './fuse';
export * from './filter';
export * from './fit';
export * from './noise';
export * from './field';
export * from './mask';
export * from './moving';
export * from './patch';

/** First byte of memory that the module itself does not use. */
export function heapBase(): usize {
  return __heap_base;
}
