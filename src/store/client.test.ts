import { createServer, type AddressInfo, type Server, type Socket } from 'node:net'
import { Sequelize } from 'sequelize'
import { driver } from './client'
import { isOutage } from './outage'

/** A message of the database's side: its letter, its length, what it holds (PostgreSQL, 55.7). */
function message(letter: string, body: Buffer): Buffer {
  const head = Buffer.alloc(5)
  head.write(letter)
  head.writeInt32BE(body.length + 4, 1)
  return Buffer.concat([head, body])
}
const LET_IN = Buffer.concat([message('R', Buffer.alloc(4)), message('Z', Buffer.from('I'))])
const GONE = message(
  'E',
  Buffer.from('SFATAL\0VFATAL\0C57P01\0Mterminating connection due to unexpected postmaster exit\0\0'),
)

let server: Server
/** A database that answers whoever comes with this, all of it at once, and hangs up. */
async function databaseThatSays(answer: Buffer): Promise<string> {
  const sockets = new Set<Socket>()
  server = createServer((socket) => {
    sockets.add(socket)
    socket.on('error', () => undefined)
    socket.once('data', () => socket.end(answer))
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return `postgres://nobody@127.0.0.1:${(server.address() as AddressInfo).port}/none`
}
afterEach(() => new Promise((resolve) => server.close(resolve)))

async function askedOf(url: string): Promise<unknown> {
  const sequelize = new Sequelize(url, { dialect: 'postgres', logging: false, dialectModule: driver })
  const answer: unknown = await sequelize.query('SELECT 1').catch((error: unknown) => error)
  await sequelize.close()
  return answer
}

it.each([
  ['as it lets somebody in', Buffer.concat([LET_IN, GONE])],
  ['without a word after it has let somebody in', LET_IN],
  ['before it lets somebody in', GONE],
  ['without a word', Buffer.alloc(0)],
])('a database that goes away %s is an outage of that query, and ends no process', async (_, answer) => {
  expect(isOutage(await askedOf(await databaseThatSays(answer)))).toBe(true)
})

it('says nothing of what was asked wrongly', () => {
  expect(isOutage(Object.assign(new Error('syntax error'), { code: '42601' }))).toBe(false)
  expect(isOutage(new Error('Something of ours.'))).toBe(false)
  expect(isOutage(Object.assign(new Error('write EPIPE'), { code: 'EPIPE' }))).toBe(true)
})
