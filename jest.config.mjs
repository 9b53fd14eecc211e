/** Core, contract and CLI are tested from source; the service, the console and the starters as built. */
export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/packages'],
  testMatch: ['**/test/**/*.test.ts'],
  // Packages that come as ES modules only are read through the same transform.
  moduleNameMapper: {
    '^cborg$': '<rootDir>/node_modules/cborg/cborg.js',
    '^d3-array$': '<rootDir>/node_modules/d3-array/dist/d3-array.js',
  },
  transformIgnorePatterns: [
    '/node_modules/(?!cborg/|@marcbachmann/cel-js/|p-queue/|p-timeout/|tinyqueue/|d3-array/|age-encryption/|@noble/|@scure/)',
  ],
  transform: {
    '^.+\\.ts$|/node_modules/(cborg|@marcbachmann/cel-js|p-queue|p-timeout|tinyqueue|d3-array|age-encryption|@noble|@scure)/.+\\.js$':
      [
        '@swc/jest',
        { jsc: { parser: { syntax: 'typescript' }, target: 'es2023' }, module: { type: 'commonjs' } },
      ],
  },
  testTimeout: 120_000,
  maxWorkers: 2,
};
