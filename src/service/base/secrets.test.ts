import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { bounds } from '@/store/migrations/0007-bounds'
import { seal } from '@/store/seal'
import { makeJob } from '@/service/fixtures.test-help'
import { sealInputs, unsealInputs } from './secrets'
import { startRun, startSchema } from '@/service/runs/start'

freshDatabase()

const secretsOf = async (id: number): Promise<Buffer> =>
  (await one<{ secrets: Buffer }>(null, 'SELECT secrets FROM runs WHERE id = $1', [id])).secrets

describe('secret inputs of a run', () => {
  it('open for their own run only', async () => {
    const sealed = sealInputs({ word: 'halyard' }, 7)
    expect(unsealInputs(sealed, 7)).toEqual({ word: 'halyard' })
    expect(() => unsealInputs(sealed, 8)).toThrow('cannot be opened')
    expect(sealInputs({}, 7)).toBeNull()
  })

  it('of an earlier version, bound to all runs, are bound to their own when the schema is brought up to date', async () => {
    const jobId = await makeJob()
    const run = async (): Promise<number> => (await startRun(ADMIN, startSchema.parse({ jobId }))).id
    const [first, second, broken] = [await run(), await run(), await run()]
    await execute(null, 'UPDATE runs SET secrets = $2 WHERE id = $1', [first, seal('{"word":"halyard"}', 'run inputs')])
    await execute(null, 'UPDATE runs SET secrets = $2 WHERE id = $1', [second, seal('{"word":"cleat"}', 'run inputs')])
    await execute(null, 'UPDATE runs SET secrets = $2 WHERE id = $1', [broken, Buffer.alloc(40)])
    expect(() => unsealInputs(Buffer.alloc(40), first)).toThrow('cannot be opened')

    await bounds.then?.((sql, bind = []) => many<never>(null, sql, [...bind]))

    expect(unsealInputs(await secretsOf(first), first)).toEqual({ word: 'halyard' })
    expect(unsealInputs(await secretsOf(second), second)).toEqual({ word: 'cleat' })
    expect(await secretsOf(broken)).toEqual(Buffer.alloc(40))
  })
})
