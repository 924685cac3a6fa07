module.exports = {
  displayName: 'app',
  preset: 'jest-expo/ios',
  // what has no interface code goes the way of the other projects
  transform: { '[\\\\/](core|contract|formats|synthetic|demo)[\\\\/]src[\\\\/].+\\.ts$': require.resolve('../scripts/jest-esbuild.js') },
  setupFiles: ['<rootDir>/test/setup.js'],
  setupFilesAfterEnv: ['<rootDir>/test/patience.js'],
  moduleNameMapper: {
    '^tus-js-client$': require.resolve('tus-js-client/lib.es5/browser/index.js'),
    '^@mesure/contract/schemas$': '<rootDir>/../contract/src/schemas.ts',
    '^@mesure/formats/(exif|chart|fdl|lens|marks-pdf|table-pdf|survey|survey-dxf|table|xlsx)$': '<rootDir>/../formats/src/$1.ts',
  },
  testMatch: ['<rootDir>/src/**/*.test.{ts,tsx}'],
  transformIgnorePatterns: ['/node_modules/(?!((jest-)?react-native|@react-native(-community)?|expo(nent)?|@expo(nent)?/.*|@expo-google-fonts|react-navigation|@react-navigation|@rneui|client-zip))'],
};
