// The long simulations: minutes each, run when what they judge was changed (npm run verify -- PATTERN). Files that end in .verify.ts are
// run only here; the others make the first few of the same draws in the suite.
process.env.MESURE_VERIFY = '1';
const { projects } = require('./jest.config');

const [core, , server] = projects;
module.exports = {
  projects: [
    { ...core, displayName: 'verify', testMatch: ['<rootDir>/{core,formats,contract,synthetic}/src/**/*.{verify,test}.ts'] },
    { ...server, displayName: 'verify server', testMatch: ['<rootDir>/server/src/records/random.test.ts'] },
  ],
  testTimeout: 1_200_000,
};
