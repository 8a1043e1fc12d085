export default {
  testEnvironment: 'node',
  testMatch: ['<rootDir>/src/**/*.test.ts', '<rootDir>/demo/**/*.test.ts', '<rootDir>/bench/**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': '<rootDir>/scripts/jestTransform.mjs',
  },
  cacheDirectory: '<rootDir>/node_modules/.cache/jest',
  // One patience for all: a machine that others use may be several times as slow for minutes, and what never comes
  // is told by this in the end.
  testTimeout: 300_000,
  // Else one core stays idle for a terminal that is being typed in.
  maxWorkers: '100%',
};
