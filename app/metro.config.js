const { getDefaultConfig } = require('expo/metro-config');

const config = getDefaultConfig(__dirname);
const usual = config.resolver.resolveRequest;
// tslib's package map leads the bundler to a wrapper whose default export it cannot see; the module itself is beside it
config.resolver.resolveRequest = (context, name, platform) => (usual ?? context.resolveRequest)(context, name === 'tslib' ? require.resolve('tslib/tslib.es6.js') : name, platform);
module.exports = config;
