import importX from 'eslint-plugin-import-x';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

const PROMISES = {
  '@typescript-eslint/no-floating-promises': 'error',
  '@typescript-eslint/no-misused-promises': [
    'error',
    { checksVoidReturn: { attributes: false, arguments: false } },
  ],
  '@typescript-eslint/await-thenable': 'error',
};

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
    // Large, and not needed by every start: read where it is used. On a small computer they cost a third of the memory.
    files: ['packages/server/src/**/*.ts'],
    rules: {
      '@typescript-eslint/no-restricted-imports': [
        'error',
        {
          paths: ['@redis/client', 'nodemailer', '@peculiar/x509', 'age-encryption', 'umzug', 'web-push'].map(
            (name) => ({
              name,
              allowTypeImports: true,
              message: `Most starts do not need ${name}: await import('${name}') where it is used.`,
            }),
          ),
        },
      ],
    },
  },
  {
    // What a promise comes to is waited for, or said not to matter.
    files: ['packages/*/src/**/*.{ts,tsx}', 'packages/*/test/**/*.ts', 'test/**/*.ts'],
    ignores: ['packages/console/src/**'],
    languageOptions: { parserOptions: { project: './tsconfig.json', tsconfigRootDir: import.meta.dirname } },
    rules: PROMISES,
  },
  {
    files: ['packages/console/src/**/*.{ts,tsx}'],
    languageOptions: {
      parserOptions: { project: './packages/console/tsconfig.json', tsconfigRootDir: import.meta.dirname },
    },
    rules: PROMISES,
  },
  {
    // The core knows no clock, no chance and no outside world: what it needs is given to it.
    files: ['packages/core/src/**/*.ts'],
    rules: {
      'no-restricted-globals': [
        'error',
        ...['process', 'fetch', 'setTimeout', 'setInterval', 'setImmediate', 'queueMicrotask', 'performance'],
        ...['Buffer', 'crypto', 'window', 'document', 'globalThis'],
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'The time is given to the core.' },
        { object: 'Math', property: 'random', message: 'Chance is given to the core.' },
      ],
      'no-restricted-syntax': [
        'error',
        {
          selector:
            "NewExpression[callee.name='Date'][arguments.length=0], CallExpression[callee.name='Date']",
          message: 'The time is given to the core.',
        },
        {
          selector:
            "MemberExpression[object.name='DateTime'][property.name=/^(now|local|utc)$/]:not([parent.arguments.length>0])",
          message: 'The time is given to the core.',
        },
        { selector: 'ImportDeclaration[source.value=/^node:/]', message: 'The core has no outside world.' },
      ],
    },
  },
  {
    files: ['packages/console/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: {
      'react-hooks/rules-of-hooks': 'error',
      'react-hooks/exhaustive-deps': 'error',
      'no-restricted-syntax': [
        'error',
        {
          selector: "JSXAttribute[name.name='color'][value.value=/[.]/]",
          message: 'Such a colour is passed over without a word: write textSecondary, or sx.',
        },
        {
          selector:
            "MemberExpression[property.name=/^toLocale(Date|Time)?String$/], MemberExpression[object.name='Intl'][property.name=/Format$/]",
          message: 'Dates and numbers are written by dates(), as whoever looks has chosen.',
        },
      ],
    },
  },
  { files: ['**/vite.config.ts', '**/jest.config.mjs'], rules: { 'import-x/no-default-export': 'off' } },
  ...importOrder,
);
