const esm = ['@gltf-transform', 'property-graph', 'ktx-parse'];
const node = {
  testEnvironment: 'node',
  transform: { '^.+\\.[cm]?[jt]sx?$': ['babel-jest', { configFile: require.resolve('./babel.node.config.js') }] },
  transformIgnorePatterns: [`/node_modules/(?!(${esm.join('|')})/)`],
  moduleNameMapper: { '^@mesure/formats/picture$': '<rootDir>/formats/src/picture.ts', '^@mesure/server/jobs/(.*)$': '<rootDir>/server/src/jobs/$1.ts' },
};

module.exports = {
  projects: [
    { ...node, displayName: 'core', testMatch: ['<rootDir>/{core,formats,contract,synthetic}/src/**/*.test.ts'] },
    { ...node, displayName: 'cli', testMatch: ['<rootDir>/cli/src/**/*.test.ts'] },
    {
      ...node,
      displayName: 'server',
      testMatch: ['<rootDir>/server/src/**/*.test.ts'],
      globalSetup: '<rootDir>/server/test/global-setup.js',
      globalTeardown: '<rootDir>/server/test/global-teardown.js',
    },
    '<rootDir>/app',
  ],
  testTimeout: 60_000,
};
