import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['{core,codec,cli,demo,server,web,e2e,scripts}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/dist/**'],
    testTimeout: 120000,
    hookTimeout: 180000,
    // Two cores: suites that start a whole Fennip would slow one another.
    maxWorkers: 2,
    fileParallelism: true,
  },
})
