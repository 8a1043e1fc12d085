// Builds everything into dist/: kernels (WebAssembly) and the Node program.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';

const run = (file, ...args) => execFileSync('node', [file, ...args], { stdio: 'inherit' });
const newest = (path) =>
  statSync(path).isDirectory()
    ? Math.max(...readdirSync(path).map((name) => newest(join(path, name))))
    : statSync(path).mtimeMs;

/** Compiles AssemblyScript unless the result is newer than its source. */
function kernels(source, target) {
  mkdirSync(join(target, '..'), { recursive: true });
  try {
    if (statSync(target).mtimeMs > newest(source)) return;
  } catch {
    // Not built yet.
  }
  run(
    'node_modules/assemblyscript/bin/asc.js',
    join(source, 'index.ts'),
    '-o',
    target,
    '--runtime',
    'stub',
    '--debug',
    '--optimizeLevel',
    '3',
    '--shrinkLevel',
    '0',
    '--noAssert',
    '--enable',
    'simd',
    '--importMemory',
    '--initialMemory',
    '16',
    '--maximumMemory',
    '32768',
    '--use',
    'abort=',
  );
}

kernels('src/kernels/assembly', 'dist/src/kernels/kernels.wasm');
kernels('demo/assembly', 'dist/demo/texture.wasm');
run('node_modules/typescript/bin/tsc', '-p', 'tsconfig.build.json');
run('node_modules/vite/bin/vite.js', 'build', '--logLevel', 'warn');
