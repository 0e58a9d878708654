import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['{core,codec,delivery,cli,demo,server,web,e2e,scripts,bench}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/dist/**'],
    // Server, worker and threads run compiled.
    globalSetup: ['scripts/compile-server.ts', 'e2e/host.ts'],
    // Where files share a process, a global that one has replaced is not left to the next.
    setupFiles: ['scripts/restore-globals.ts'],
    // Guards against what never ends, not against slow machines: what has to be quick says so in its own test.
    testTimeout: 400000,
    hookTimeout: 400000,
    // A poll waits for what a person would wait for; on a busy machine that is more than a second.
    expect: { poll: { timeout: 120000 } },
    // Two cores: suites that start a whole Fennip would slow one another.
    maxWorkers: 2,
    fileParallelism: true,
  },
})
