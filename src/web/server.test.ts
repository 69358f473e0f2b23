import { connect } from 'node:net'
import type { AddressInfo } from 'node:net'
import type { Server } from 'node:http'
import { CALLER_HEADER, readCaller } from '@/core/net/caller'
import { createWebServer } from './server'

const servers: Server[] = []
afterEach(() => {
  for (const server of servers.splice(0)) server.close()
})

/** What the pages would be told of a request with these lines, over a real socket. */
async function told(
  proxies: number,
  path: string,
  ...lines: string[]
): Promise<{ caller: ReturnType<typeof readCaller>; answer: string }> {
  let caller: ReturnType<typeof readCaller> = null
  const server = createWebServer(
    (request, response) => {
      caller = readCaller(request.headers[CALLER_HEADER]?.toString(), 'the-seal')
      response.end(JSON.stringify(request.headers))
    },
    { proxies, seal: 'the-seal', tls: null },
  )
  servers.push(server)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const socket = connect((server.address() as AddressInfo).port, '127.0.0.1')
  socket.write(
    `GET ${path} HTTP/1.1\r\nHost: bugle.example\r\nConnection: close\r\n${lines.map((line) => `${line}\r\n`).join('')}\r\n`,
  )
  let answer = ''
  for await (const chunk of socket) answer += String(chunk)
  return { caller, answer }
}

describe('the door of the pages', () => {
  it('knows the caller from the socket, whatever the caller says', async () => {
    const { caller, answer } = await told(
      0,
      '/',
      'X-Forwarded-For: 1.2.3.4',
      'X-Forwarded-Host: evil.example',
      'X-Forwarded-Proto: https',
      `${CALLER_HEADER}: the-seal ${encodeURIComponent('{"address":"6.6.6.6"}')}`,
    )
    expect(caller).toEqual({ address: '127.0.0.1', isHttps: false, host: 'bugle.example' })
    expect(answer).not.toContain('1.2.3.4')
    expect(answer).not.toContain('evil.example')
    expect(answer).toContain('x-content-type-options: nosniff')
    expect(answer).not.toContain('strict-transport-security')
  })

  it('believes as many entries as there are proxies, from the end', async () => {
    const { caller, answer } = await told(
      1,
      '/',
      'X-Forwarded-For: 6.6.6.6, 1.2.3.4',
      'X-Forwarded-Host: bugle.marram.example',
      'X-Forwarded-Proto: https',
    )
    expect(caller).toEqual({ address: '1.2.3.4', isHttps: true, host: 'bugle.marram.example' })
    expect(answer).toContain('strict-transport-security: max-age=31536000')
  })

  it('answers an address that is no UTF-8 with 400', async () => {
    const { answer } = await told(0, '/api/v1/%FF')
    expect(answer).toMatch(/^HTTP\/1\.1 400 /)
    expect(answer).toContain('urn:bugle:problem:invalid-input')
  })

  it('is believed only with its seal', () => {
    expect(readCaller('other %7B%7D', 'the-seal')).toBeNull()
    expect(readCaller(' %7B%7D', '')).toBeNull()
    expect(readCaller(null, 'the-seal')).toBeNull()
  })
})
