/** Unit tests stand beside their files; what crosses folders is in tests/. ES modules throughout. */
const swc = [
  '@swc/jest',
  { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'es6' } },
];
/** Needs `--import tests/runner/register.mjs`, and one process for all files (`--runInBand`). */
const plain = {
  runner: 'jest-light-runner',
  modulePathIgnorePatterns: ['<rootDir>/(server|practice|web)/dist/'],
};
/** Files whose servers are started, cut off and ended: they wait more than they work, and run beside the others. */
const patient = [
  'start',
  'startWithoutDatabase',
  'databaseAway',
  'backup',
  'buttons',
  'stream',
  'quarantine',
  'demo',
  'importKilled',
  'numbersKilled',
  'processes',
];
export default {
  // A bound for a test that hangs, not for how fast a machine is.
  testTimeout: 180_000,
  projects: [
    {
      ...plain,
      displayName: 'unit',
      testMatch: [
        '<rootDir>/{core,server,web,practice,demo}/**/*.test.ts',
        '<rootDir>/tests/architecture/*.test.ts',
      ],
      testPathIgnorePatterns: ['/node_modules/', '\\.component\\.test\\.ts$'],
    },
    {
      displayName: 'component',
      modulePathIgnorePatterns: plain.modulePathIgnorePatterns,
      testEnvironment: 'jest-environment-jsdom',
      testEnvironmentOptions: { customExportConditions: ['node', 'node-addons'] },
      transform: { '^.+\\.ts$': swc, '^.+\\.vue$': '<rootDir>/tests/vueTransform.mjs' },
      extensionsToTreatAsEsm: ['.ts', '.vue'],
      moduleFileExtensions: ['js', 'mjs', 'ts', 'json', 'vue', 'node'],
      setupFiles: ['<rootDir>/tests/componentSetup.mjs'],
      testMatch: ['<rootDir>/web/**/*.component.test.ts'],
    },
    {
      ...plain,
      displayName: 'integration',
      testMatch: ['<rootDir>/tests/{integration,crash}/*.test.ts'],
      testPathIgnorePatterns: patient.map((name) => `/integration/${name}\\.test\\.ts$`),
    },
    {
      ...plain,
      displayName: 'patient',
      testMatch: patient.map((name) => `<rootDir>/tests/integration/${name}.test.ts`),
    },
  ],
};
