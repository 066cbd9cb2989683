/** @type {import('jest').Config} */
const common = {
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '<rootDir>/tests/transform.mjs',
      { module: { type: 'es6' }, jsc: { target: 'es2023', parser: { syntax: 'typescript' } } },
    ],
  },
};

const withPostgres = {
  globalSetup: '<rootDir>/tests/server/start-postgres.ts',
  globalTeardown: '<rootDir>/tests/server/stop-postgres.ts',
};

/** Unit tests stand beside what they test; server tests share one PostgreSQL; those of load watch how long others wait; the browser test drives the whole application. */
export default {
  projects: [
    {
      ...common,
      displayName: 'unit',
      globalSetup: '<rootDir>/tests/build-programs.ts',
      testMatch: [
        '<rootDir>/{core,contract,demo,web}/src/**/*.test.ts',
        '<rootDir>/server/src/**/*.test.ts',
        '<rootDir>/tests/{oracles,commands,fuzz,kill}/*.test.ts',
      ],
    },
    {
      ...common,
      displayName: 'server',
      testMatch: ['<rootDir>/tests/server/*.test.ts'],
      ...withPostgres,
    },
    {
      ...common,
      displayName: 'load',
      testMatch: ['<rootDir>/tests/{hostile,main-thread,soak}/*.test.ts'],
      ...withPostgres,
    },
    {
      ...common,
      displayName: 'browser',
      testMatch: ['<rootDir>/tests/browser/*.test.ts'],
      globalSetup: '<rootDir>/tests/build-programs.ts',
    },
  ],
};
