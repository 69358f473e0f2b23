import { freshDatabase } from '@/store/database.test-help'
import { execute } from '@/store/db'
import { factsOf } from './log'

freshDatabase()

it('says of a failed query what went wrong, and none of its values', async () => {
  const word = 'oystercatcher-4'
  const error = await execute(null, 'INSERT INTO settings (key, value) VALUES ($1, $2)', [null, `"${word}"`]).then(
    () => null,
    (failed: unknown) => failed,
  )
  expect(JSON.stringify(error)).toContain(word)
  const told = factsOf(error)
  expect(told).toMatchObject({ type: 'SequelizeDatabaseError', code: '23502' })
  expect(JSON.stringify(told)).not.toContain(word)
})

it('says whatever was thrown', () => {
  expect(factsOf(new RangeError('Too far.'))).toMatchObject({ type: 'RangeError', message: 'Too far.' })
  expect(factsOf('gone')).toEqual({ message: 'gone' })
})
