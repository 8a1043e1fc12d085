import { createHash } from 'node:crypto';
import swc from '@swc/jest';

/**
 * What loops over px look up. The modules of a test run in a context of their own, where each look at a global takes a detour:
 * as a constant of the module it costs what it does in the application.
 */
const GLOBALS = [
  ...['Math', 'Number', 'Infinity', 'NaN', 'Array', 'Map', 'Set'],
  ...['Uint8Array', 'Uint16Array', 'Uint32Array', 'Int16Array', 'Int32Array', 'Float32Array', 'Float64Array'],
];
const KEPT = GLOBALS.map((name) => `const ${name} = globalThis.${name};`).join(' ');

const inner = swc.createTransformer({
  jsc: { parser: { syntax: 'typescript' }, target: 'es2022' },
  module: { type: 'es6' },
});

/** TypeScript for Jest, by swc. What is added stands on the first line, so that places in the source stay as they are. */
export default {
  getCacheKey: (...args) =>
    createHash('sha1')
      .update(inner.getCacheKey(...args))
      .update(KEPT)
      .digest('hex'),
  process(source, path, options) {
    const result = inner.process(source, path, options);
    return { ...result, code: `${KEPT} ${result.code}` };
  },
};
