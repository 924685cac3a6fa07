// The long simulations: minutes each, run when what they judge was changed. The suite has a short, seeded form of each.
process.env.MESURE_VERIFY = '1';
const { projects } = require('./jest.config');

module.exports = {
  projects: [{ ...projects[0], displayName: 'verify', testMatch: ['<rootDir>/{core,formats,contract,synthetic}/src/**/*.verify.ts', '<rootDir>/core/src/forecast/monte-carlo.test.ts'] }],
  testTimeout: 1_200_000,
};
