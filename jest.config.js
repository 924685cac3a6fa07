// read through our own transform: modules of the new kind, and ml-matrix, whose eigenvalues the sandbox's globals slow down tenfold
const esm = [
  'ml-matrix',
  '@gltf-transform',
  'property-graph',
  'ktx-parse',
  'three',
  'geotiff',
  'quick-lru',
  'web-worker',
  'xml-utils',
  'zstddec',
  'lerc',
  '@petamoriken',
  '@tus',
  'srvx',
  'p-limit',
  'yocto-queue',
];
const node = {
  testEnvironment: 'node',
  transform: { '^.+\\.[cm]?[jt]sx?$': require.resolve('./scripts/jest-esbuild.js') },
  transformIgnorePatterns: [`/node_modules/(?!(${esm.join('|')})/)`],
  moduleNameMapper: {
    '^@mesure/contract/schemas$': '<rootDir>/contract/src/schemas.ts',
    '^@mesure/formats/(chart|clip-look|exif|fdl|lens|picture|raster|st-map|marks-pdf|node-pdf-fonts|otio|pdf|table-pdf|survey|survey-dxf|table|mapped-table|move-table|table-kinds|sequence|xlsx|wav|zip)$':
      '<rootDir>/formats/src/$1.ts',
    '^@mesure/formats/(report|handover|solve-in)$': '<rootDir>/formats/src/$1/index.ts',
    '^@mesure/server/jobs/(.*)$': '<rootDir>/server/src/jobs/$1.ts',
  },
};

module.exports = {
  projects: [
    { ...node, displayName: 'core', testMatch: ['<rootDir>/{core,formats,contract,synthetic,demo}/src/**/*.test.ts'] },
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
  // a busy machine is two or three times as slow; what hangs is told soon enough
  testTimeout: 150_000,
};
