/** Core, contract and CLI are tested from source; the service, the console and the starters as built. */
export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/packages'],
  testMatch: ['**/test/**/*.test.ts'],
  // Packages that come as ES modules only are read through the same transform.
  moduleNameMapper: { '^cborg$': '<rootDir>/node_modules/cborg/cborg.js' },
  transformIgnorePatterns: ['/node_modules/(?!cborg/|@marcbachmann/cel-js/|p-queue/|p-timeout/|tinyqueue/)'],
  transform: {
    '^.+\\.ts$|/node_modules/(cborg|@marcbachmann/cel-js|p-queue|p-timeout|tinyqueue)/.+\\.js$': [
      '@swc/jest',
      { jsc: { parser: { syntax: 'typescript' }, target: 'es2023' }, module: { type: 'commonjs' } },
    ],
  },
  testTimeout: 120_000,
  maxWorkers: 2,
};
