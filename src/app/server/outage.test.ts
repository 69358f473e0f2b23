import { ConnectionRefusedError } from 'sequelize'
import { freshDatabase } from '@/store/database.test-help'
import { db } from '@/store/db'
import { GET as health } from '@/app/api/health/route'
import { answering } from './endpoint'

freshDatabase()

const request = new Request('http://localhost/api/v1/runs')
const gone = (): Promise<Response> => Promise.reject(new ConnectionRefusedError(new Error('connect ECONNREFUSED')))

describe('while the database is away', () => {
  it('every request is answered with 503, when to come again, and a sentence; the log has one line, not one for each', async () => {
    const written: string[] = []
    const spy = jest.spyOn(process.stderr, 'write').mockImplementation((text) => {
      written.push(String(text))
      return true
    })
    try {
      for (let i = 0; i < 160; i++) {
        const response = await answering(request, gone)
        expect([response.status, response.headers.get('retry-after')]).toEqual([503, '5'])
        expect(await response.json()).toMatchObject({
          type: 'urn:bugle:problem:database-away',
          detail: expect.stringContaining('nothing is known or changed now'),
        })
      }
      await answering(request, () => Promise.resolve(Response.json({})))
      await answering(request, () => Promise.resolve(Response.json({})))
    } finally {
      spy.mockRestore()
    }
    expect(written.map((line) => JSON.parse(line) as object)).toEqual([
      expect.objectContaining({ msg: 'the database does not answer', requests: 1 }),
      expect.objectContaining({ msg: 'the database answers again', requests: 160 }),
    ])
  })

  it('the health check says so, also when it does not refuse but hangs', async () => {
    expect((await health()).status).toBe(200)
    const query = jest.spyOn(db().sequelize, 'query')
    query.mockRejectedValueOnce(new ConnectionRefusedError(new Error('connect ECONNREFUSED')))
    expect((await health()).status).toBe(503)
    jest.useFakeTimers({ doNotFake: ['nextTick', 'setImmediate'] })
    try {
      query.mockReturnValueOnce(new Promise(() => undefined) as never)
      const answer = health()
      await jest.advanceTimersByTimeAsync(3000)
      const response = await answer
      expect([response.status, await response.text()]).toEqual([503, 'the database does not answer\n'])
    } finally {
      jest.useRealTimers()
      query.mockRestore()
    }
  })
})
