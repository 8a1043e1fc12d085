export default {
  testEnvironment: 'node',
  testMatch: ['<rootDir>/src/**/*.test.ts', '<rootDir>/demo/**/*.test.ts', '<rootDir>/bench/**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'es6' } },
    ],
  },
  cacheDirectory: '<rootDir>/node_modules/.cache/jest',
  testTimeout: 60_000,
};
