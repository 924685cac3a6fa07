const { getDefaultConfig } = require('expo/metro-config');

const config = getDefaultConfig(__dirname);
const usual = config.resolver.resolveRequest;
/** Icon sets that the control library would draw if they were asked for; only one is, and a phone should not keep the others. */
const OTHER_ICONS = /^(react-native-vector-icons|@expo\/vector-icons|@react-native-vector-icons)\/(?!MaterialIcons$|material-icons$)/;
config.resolver.resolveRequest = (context, name, platform) => {
  if (OTHER_ICONS.test(name)) return { type: 'empty' };
  // tslib's package map leads the bundler to a wrapper whose default export it cannot see; the module itself is beside it
  return (usual ?? context.resolveRequest)(context, name === 'tslib' ? require.resolve('tslib/tslib.es6.js') : name, platform);
};
module.exports = config;
