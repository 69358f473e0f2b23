import { buildSync } from 'esbuild'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

/** The supervisor's program, built as it is for the agent. */
export const builtSupervisor = (): string => built('supervisor-main')

/** One of the small programs that the agent carries along; its file. */
export function built(entry: 'supervisor-main' | 'item-main'): string {
  const outfile = join(mkdtempSync(join(tmpdir(), 'bugle-built-')), `${entry}.cjs`)
  buildSync({
    entryPoints: [`src/agent/${entry}.ts`],
    bundle: true,
    platform: 'node',
    format: 'cjs',
    target: 'node18',
    outfile,
    alias: { '@': join(process.cwd(), 'src') },
  })
  return outfile
}
