/** A route names its screen; the screen's modules run when it is first shown and not when the page begins: a day opens sooner. */
const isRoute = (file) => /[\\/]src[\\/]app[\\/](?!.*[\\/]?[_+][a-z-]+\.tsx$)/.test(file ?? '');

/** The test runner's sandbox cannot import on demand: what is loaded late there is required late. */
const requireInstead = ({ template }) => ({
  visitor: {
    CallExpression(path) {
      if (path.get('callee').isImport()) path.replaceWith(template.expression.ast`Promise.resolve().then(() => require(${path.node.arguments[0]}))`);
    },
  },
});

module.exports = function config(api) {
  api.cache.using(() => process.env.NODE_ENV);
  const testing = process.env.NODE_ENV === 'test';
  return {
    presets: ['babel-preset-expo'],
    ...(testing ? { plugins: [requireInstead] } : {}),
    overrides: [{ test: isRoute, presets: [['babel-preset-expo', { lazyImports: (name) => name.includes('/features/'), disableImportExportTransform: false }]] }],
  };
};
