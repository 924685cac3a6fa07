/** A route names its screen; the screen's modules run when it is first shown and not when the page begins: a day opens sooner. */
const isRoute = (file) => /[\\/]src[\\/]app[\\/](?!.*[\\/]?[_+][a-z-]+\.tsx$)/.test(file ?? '');

module.exports = function config(api) {
  api.cache(true);
  return {
    presets: ['babel-preset-expo'],
    overrides: [{ test: isRoute, presets: [['babel-preset-expo', { lazyImports: (name) => name.includes('/features/'), disableImportExportTransform: false }]] }],
  };
};
