export default {
  testEnvironment: 'node',
  testMatch: ['<rootDir>/src/**/*.test.ts', '<rootDir>/demo/**/*.test.ts', '<rootDir>/bench/**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': '<rootDir>/scripts/jestTransform.mjs',
  },
  cacheDirectory: '<rootDir>/node_modules/.cache/jest',
  testTimeout: 60_000,
  // Else one core stays idle for a terminal that is being typed in.
  maxWorkers: '100%',
};
