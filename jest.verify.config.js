// The long simulations: minutes each, run when what they judge was changed. The suite has a short, seeded form of each.
const { projects } = require('./jest.config');

module.exports = { projects: [{ ...projects[0], displayName: 'verify', testMatch: ['<rootDir>/{core,formats,contract,synthetic}/src/**/*.verify.ts'] }], testTimeout: 1_200_000 };
