import { ensureNodeModules } from './lib/setup.mjs'

ensureNodeModules()
const { buildServices, buildWeb } = await import('./lib/build.mjs')
await (process.argv[2] === 'services' ? buildServices() : buildWeb())
