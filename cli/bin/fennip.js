#!/usr/bin/env node
import { register } from 'tsx/esm/api'

// The parts are TypeScript; they run as they are, without a build.
register()
const { main } = await import('../main.ts')
process.exitCode = await main(process.argv.slice(2))
