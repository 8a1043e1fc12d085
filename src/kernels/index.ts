export { Kernels } from './kernels.ts';
