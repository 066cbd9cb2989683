/** @type {import('jest').Config} */
const common = {
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { module: { type: 'es6' }, jsc: { target: 'es2023', parser: { syntax: 'typescript' } } },
    ],
  },
};

/** Unit tests stand beside what they test; server tests share one PostgreSQL; the browser test drives the whole application. */
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
      testMatch: ['<rootDir>/tests/{server,hostile,soak}/*.test.ts'],
      globalSetup: '<rootDir>/tests/server/start-postgres.ts',
      globalTeardown: '<rootDir>/tests/server/stop-postgres.ts',
    },
    {
      ...common,
      displayName: 'browser',
      testMatch: ['<rootDir>/tests/browser/*.test.ts'],
      globalSetup: '<rootDir>/tests/build-programs.ts',
    },
  ],
};
