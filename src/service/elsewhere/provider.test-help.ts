import { createSign, generateKeyPairSync, type KeyObject } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'

const base64 = (value: object): string => Buffer.from(JSON.stringify(value)).toString('base64url')

/** A provider that says whatever a test wants: RS256, discovery, keys and tokens (OpenID Connect Core 1.0). Stop it. */
export class FakeProvider {
  /** What is wrong with the next token; nothing: all is right. */
  wrong: { claims?: object; signedBy?: KeyObject; header?: object; status?: number } = {}
  /** Codes that were exchanged already: each is good once. */
  private readonly spent = new Set<string>()
  /** What the visitor brought along, by the code that they come back with. */
  private readonly visits = new Map<string, { nonce: string; challenge: string; claims: object }>()
  private readonly keys = generateKeyPairSync('rsa', { modulusLength: 2048 })
  private server: Server | undefined
  issuer = ''
  asked = 0

  async start(): Promise<this> {
    this.server = createServer((request, response) => {
      this.asked++
      let body = ''
      request.on('data', (chunk) => (body += String(chunk)))
      request.on('end', () => {
        const [status, answer] = this.answer(request.url ?? '', new URLSearchParams(body))
        response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(answer))
      })
    }).listen(0, '127.0.0.1')
    await new Promise((resolve) => this.server?.once('listening', resolve))
    this.issuer = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`
    return this
  }

  async stop(): Promise<void> {
    this.server?.closeAllConnections()
    await new Promise((resolve) => this.server?.close(resolve))
  }

  /** Somebody signs in there: where their browser is sent back to. */
  visit(url: string, claims: object): URL {
    const query = new URL(url).searchParams
    const code = `code-${this.visits.size}`
    this.visits.set(code, {
      nonce: query.get('nonce') ?? '',
      challenge: query.get('code_challenge') ?? '',
      claims,
    })
    const back = new URL(query.get('redirect_uri') ?? '')
    back.search = new URLSearchParams({ code, state: query.get('state') ?? '' }).toString()
    return back
  }

  private answer(path: string, body: URLSearchParams): [number, object] {
    if (path === '/.well-known/openid-configuration')
      return [
        200,
        {
          issuer: this.issuer,
          authorization_endpoint: `${this.issuer}/authorize`,
          token_endpoint: `${this.issuer}/token`,
          jwks_uri: `${this.issuer}/keys`,
          end_session_endpoint: `${this.issuer}/end`,
          response_types_supported: ['code'],
          subject_types_supported: ['public'],
          id_token_signing_alg_values_supported: ['RS256'],
        },
      ]
    if (path === '/keys')
      return [200, { keys: [{ ...this.keys.publicKey.export({ format: 'jwk' }), kid: '1', alg: 'RS256', use: 'sig' }] }]
    const code = body.get('code') ?? ''
    const visit = this.visits.get(code)
    if (this.wrong.status !== undefined) return [this.wrong.status, { error: 'server_error' }]
    if (path !== '/token' || !visit || this.spent.has(code) || !body.get('code_verifier'))
      return [400, { error: 'invalid_grant' }]
    this.spent.add(code)
    return [200, { access_token: 'at', token_type: 'Bearer', expires_in: 60, id_token: this.token(visit) }]
  }

  private token({ nonce, claims }: { nonce: string; claims: object }): string {
    const now = Math.floor(Date.now() / 1000)
    const said = { iss: this.issuer, aud: 'bugle', iat: now, exp: now + 300, nonce, ...claims, ...this.wrong.claims }
    const text = `${base64({ alg: 'RS256', kid: '1', ...this.wrong.header })}.${base64(said)}`
    const signature = createSign('RSA-SHA256')
      .update(text)
      .sign(this.wrong.signedBy ?? this.keys.privateKey)
    return `${text}.${signature.toString('base64url')}`
  }
}
