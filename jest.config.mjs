/** Core, contract and CLI are tested from source; the service, the console and the starters as built. */
export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/packages'],
  testMatch: ['**/test/**/*.test.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { jsc: { parser: { syntax: 'typescript' }, target: 'es2023' }, module: { type: 'commonjs' } },
    ],
  },
  testTimeout: 60_000,
  maxWorkers: 2,
};
