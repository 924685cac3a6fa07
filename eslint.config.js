const expo = require('eslint-config-expo/flat');
const prettier = require('eslint-config-prettier');

/** Arrows point one way: who may import whom. A room not listed for another may not be imported by it. */
const MAY = {
  synthetic: [],
  core: [],
  formats: ['core'],
  contract: ['core'],
  server: ['core', 'formats', 'contract'],
  cli: ['core', 'formats', 'contract'],
  demo: ['core', 'formats', 'contract', 'server', 'synthetic'],
  app: ['core', 'formats', 'contract'],
};
const ROOMS = Object.keys(MAY);
const arrows = ROOMS.map((room) => ({
  files: [`${room}/src/**/*.{ts,tsx}`],
  ignores: ['**/*.{test,verify}.{ts,tsx}', 'cli/src/test-folder.ts'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: ROOMS.filter((other) => other !== room && !MAY[room].includes(other)).flatMap((other) => [
          { group: [`@mesure/${other}`, `@mesure/${other}/*`, `**/${other}/src/**`], message: `${room} may not import ${other} (README, "How it is laid out").` },
        ]),
      },
    ],
  },
}));

/** What compiles components to judge them finds none in rooms without an interface. */
const OF_COMPONENTS = Object.fromEntries(
  expo
    .flatMap((config) => Object.keys(config.rules ?? {}))
    .filter((name) => /^react(-hooks)?\//.test(name))
    .map((name) => [name, 'off']),
);

module.exports = [
  { ignores: ['.build/**', '.data/**', '**/node_modules/**', '**/dist/**', 'app/.expo/**', 'e2e/test-results/**', 'coverage/**'] },
  ...expo,
  prettier,
  ...arrows,
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.{test,verify}.ts'],
    rules: { 'no-restricted-globals': ['error', 'process', 'window', 'document', 'fetch', 'setTimeout', 'Buffer', 'console'] },
  },
  // the workspace packages are resolved by the type checker, which is stricter
  {
    rules: {
      'import/no-unresolved': 'off',
      'import/namespace': 'off',
      'import/export': 'off',
      'import/no-named-as-default': 'off',
      'import/no-named-as-default-member': 'off',
      'no-console': 'error',
      // gesture handlers are made once and read the latest values through a ref: React Native's own pattern for PanResponder
      'react-hooks/refs': 'off',
      // drafts of a form follow the record when it changes elsewhere
      'react-hooks/set-state-in-effect': 'off',
    },
  },
  { files: ['{core,formats,contract,synthetic,demo,server,cli,scripts,e2e}/**'], rules: OF_COMPONENTS },
  {
    files: ['scripts/**', '**/*.config.js', 'server/test/**', '**/*.{test,verify}.{ts,tsx}'],
    languageOptions: { globals: { __dirname: 'readonly', __filename: 'readonly', require: 'readonly', module: 'writable', process: 'readonly' } },
    rules: { 'no-console': 'off', '@typescript-eslint/no-require-imports': 'off' },
  },
];
