import { generateKeyPairSync, randomBytes } from 'node:crypto'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Configuration, Provider } from 'oidc-provider'
import { PROVIDER } from '@/demo/elsewhere'
import { html, page } from './mood'

const HOST = '127.0.0.1'

/** Where some people of the harbour office sign in: OpenID Connect, by the real protocol. Who they are is chosen by a click. */
export class SignInProvider {
  private server: Server | undefined
  private provider: Provider | undefined

  constructor(
    /** Where Bugle's pages are. */
    private readonly pages: readonly string[],
  ) {}

  async start(port: number): Promise<number> {
    // A module of its own kind, which only this stand-in needs.
    const oidc = await import('oidc-provider')
    const server = createServer((request, response) => {
      this.answer(request, response).catch(() => response.destroy())
    })
    this.server = server
    const given = await new Promise<number>((resolve, reject) => {
      server.once('error', reject)
      server.listen(port, HOST, () => resolve((server.address() as AddressInfo).port))
    })
    this.provider = new oidc.Provider(`http://${HOST}:${given}`, this.configuration())
    return given
  }

  async stop(): Promise<void> {
    this.server?.closeAllConnections()
    await new Promise<void>((resolve) => (this.server ? this.server.close(() => resolve()) : resolve()))
  }

  private configuration(): Configuration {
    const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 })
    return {
      clients: [
        {
          client_id: PROVIDER.clientId,
          client_secret: PROVIDER.clientSecret,
          redirect_uris: this.pages.map((at) => `${at}/api/sign-in/back`),
          post_logout_redirect_uris: this.pages.map((at) => `${at}/sign-in`),
        },
      ],
      jwks: { keys: [privateKey.export({ format: 'jwk' }) as never] },
      cookies: { keys: [randomBytes(24).toString('hex')] },
      claims: { openid: ['sub', 'groups'], profile: ['name'], email: ['email', 'email_verified'] },
      conformIdTokenClaims: false,
      findAccount: (_context, id) => {
        const person = PROVIDER.people.find(({ sub }) => sub === id)
        return (
          person && { accountId: id, claims: () => ({ ...person, groups: [...person.groups], email_verified: true }) }
        )
      },
      // Nobody is asked whether Bugle may know who they are: it is the office's own.
      loadExistingGrant: async (context) => {
        const { client, session, provider } = context.oidc
        if (!client || !session?.accountId) return undefined
        const grant = new provider.Grant({ clientId: client.clientId, accountId: session.accountId })
        grant.addOIDCScope('openid profile email')
        await grant.save()
        return grant
      },
      interactions: { url: (_context, { uid }) => `/choose/${uid}` },
      features: {
        devInteractions: { enabled: false },
        rpInitiatedLogout: {
          enabled: true,
          logoutSource: (context, form) => {
            context.body = page(
              `<h1>Harbour office</h1><p>Sign out here, too?</p>${form}<button form="op.logoutForm" name="logout" value="yes">Sign out</button>`,
            )
          },
        },
      },
    }
  }

  private async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const { provider } = this
    if (!provider) return void response.destroy()
    const { pathname, searchParams } = new URL(request.url ?? '/', `http://${HOST}`)
    if (!pathname.startsWith('/choose/')) {
      await provider.callback()(request, response)
      return
    }
    if (request.method === 'POST') {
      const login = { accountId: searchParams.get('as') ?? '' }
      await provider.interactionFinished(request, response, { login }, { mergeWithLastSubmission: false })
      return
    }
    const people = PROVIDER.people.map(
      ({ sub, name }) =>
        `<form method="post" action="${html(pathname)}?as=${encodeURIComponent(sub)}"><p><button>${html(name)}</button></p></form>`,
    )
    response
      .writeHead(200, { 'content-type': 'text/html; charset=utf-8' })
      .end(page(`<h1>Harbour office</h1><p>A made-up sign-in for made-up people: who are you?</p>${people.join('')}`))
  }
}
