/** Unit tests stand beside their files; what crosses folders is in tests/. ES modules throughout, transformed by swc. */
const base = {
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts'],
  modulePathIgnorePatterns: ['<rootDir>/(server|practice|web)/dist/'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'es6' } },
    ],
  },
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
];
export default {
  // A bound for a test that hangs, not for how fast a machine is.
  testTimeout: 180_000,
  projects: [
    {
      ...base,
      displayName: 'unit',
      testMatch: [
        '<rootDir>/{core,server,web,practice,demo}/**/*.test.ts',
        '<rootDir>/tests/architecture/*.test.ts',
      ],
      testPathIgnorePatterns: ['/node_modules/', '\\.component\\.test\\.ts$'],
    },
    {
      ...base,
      displayName: 'component',
      testEnvironment: 'jest-environment-jsdom',
      testEnvironmentOptions: { customExportConditions: ['node', 'node-addons'] },
      transform: { ...base.transform, '^.+\\.vue$': '<rootDir>/tests/vueTransform.mjs' },
      extensionsToTreatAsEsm: ['.ts', '.vue'],
      moduleFileExtensions: ['js', 'mjs', 'ts', 'json', 'vue', 'node'],
      setupFiles: ['<rootDir>/tests/componentSetup.mjs'],
      testMatch: ['<rootDir>/web/**/*.component.test.ts'],
    },
    {
      ...base,
      displayName: 'integration',
      testMatch: ['<rootDir>/tests/{integration,crash}/*.test.ts'],
      testPathIgnorePatterns: patient.map((name) => `/integration/${name}\\.test\\.ts$`),
    },
    {
      ...base,
      displayName: 'patient',
      testMatch: patient.map((name) => `<rootDir>/tests/integration/${name}.test.ts`),
    },
  ],
};
