import { buildSync } from 'esbuild'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

/** The supervisor's program, built as it is for the agent. */
export function builtSupervisor(): string {
  const outfile = join(mkdtempSync(join(tmpdir(), 'bugle-supervisor-')), 'supervisor.cjs')
  buildSync({
    entryPoints: ['src/agent/supervisor-main.ts'],
    bundle: true,
    platform: 'node',
    format: 'cjs',
    target: 'node18',
    outfile,
    alias: { '@': join(process.cwd(), 'src') },
  })
  return outfile
}
