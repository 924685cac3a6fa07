// The long simulations: minutes each, run when what they judge was changed. The suite has a short, seeded form of each.
process.env.MESURE_VERIFY = '1';
const { projects } = require('./jest.config');

const [core, , server] = projects;
module.exports = {
  projects: [
    { ...core, displayName: 'verify', testMatch: ['<rootDir>/{core,formats,contract,synthetic}/src/**/*.verify.ts', '<rootDir>/core/src/forecast/monte-carlo.test.ts'] },
    { ...server, displayName: 'verify server', testMatch: ['<rootDir>/server/src/records/random.test.ts'] },
  ],
  testTimeout: 1_200_000,
};
