import importX from 'eslint-plugin-import-x';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** What each package may import; data and knowledge walk one way. */
const MAY_IMPORT = {
  core: [],
  contract: ['core'],
  server: ['core', 'contract'],
  console: ['core', 'contract'],
  cli: ['core', 'contract'],
  standins: ['core', 'contract'],
  demo: ['core', 'contract', 'server', 'standins'],
};
const NAMES = ['core', 'contract', 'server', 'console', 'cli', 'standins', 'demo', 'bench'];

const importOrder = Object.entries(MAY_IMPORT).map(([name, allowed]) => ({
  files: [`packages/${name}/src/**/*.{ts,tsx}`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: NAMES.filter((other) => other !== name && !allowed.includes(other)).map((other) => ({
          group: [`@peatmoor/${other}`, `**/packages/${other}/**`],
          message: `${name} may import only ${allowed.join(', ') || 'nothing'}.`,
        })),
      },
    ],
  },
}));

export default tseslint.config(
  { ignores: ['**/dist/', '**/node_modules/', 'data/'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    plugins: { 'import-x': importX },
    rules: {
      'import-x/no-default-export': 'error',
      'import-x/no-self-import': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-empty-object-type': 'off',
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'no-console': 'error',
    },
  },
  {
    files: ['packages/core/src/**/*.ts'],
    rules: { 'no-restricted-globals': ['error', 'process', 'Date.now', 'fetch', 'setTimeout', 'Buffer'] },
  },
  {
    files: ['packages/console/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  { files: ['**/vite.config.ts', '**/jest.config.mjs'], rules: { 'import-x/no-default-export': 'off' } },
  ...importOrder,
);
