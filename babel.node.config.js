// In the test runner's sandbox every mention of a global goes through an interceptor; in a hot loop over millions of pixels that is
// ten times slower. Each module therefore takes its globals into constants of its own.
const NAMES = new Set(['Math', 'Number', 'Infinity', 'NaN', 'Array', 'Map', 'Set', 'Float64Array', 'Float32Array', 'Int32Array', 'Uint8Array', 'Uint16Array']);
const localGlobals = ({ types: t }) => ({
  visitor: {
    Program: {
      exit(path) {
        const used = Object.keys(path.scope.globals).filter((name) => NAMES.has(name));
        if (used.length === 0) return;
        path.unshiftContainer(
          'body',
          t.variableDeclaration(
            'const',
            used.map((name) => t.variableDeclarator(t.identifier(name), t.memberExpression(t.identifier('globalThis'), t.identifier(name)))),
          ),
        );
      },
    },
  },
});

module.exports = {
  plugins: [localGlobals],
  presets: [
    ['@babel/preset-env', { targets: { node: 'current' } }],
    ['@babel/preset-typescript', { allowDeclareFields: true }],
  ],
};
