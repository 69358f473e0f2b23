// npm run package [FOLDER]: one archive for a server that has only Node.
import { mkdirSync } from 'node:fs'
import { resolve } from 'node:path'
import { ensureNodeModules } from './lib/setup.mjs'

ensureNodeModules()
const { makePackage } = await import('./lib/package.mjs')
const to = resolve(process.argv[2] ?? 'package')
mkdirSync(to, { recursive: true })
console.log(await makePackage(to))
