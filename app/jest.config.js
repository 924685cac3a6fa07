module.exports = {
  displayName: 'app',
  preset: 'jest-expo/ios',
  setupFiles: ['<rootDir>/test/setup.js'],
  testMatch: ['<rootDir>/src/**/*.test.{ts,tsx}'],
  transformIgnorePatterns: ['/node_modules/(?!((jest-)?react-native|@react-native(-community)?|expo(nent)?|@expo(nent)?/.*|@expo-google-fonts|react-navigation|@react-navigation|@rneui))'],
};
