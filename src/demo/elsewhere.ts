import { STANDIN_PORTS } from './exchange'

/** The harbour office's own sign-in: a stand-in that speaks OpenID Connect, and the two people who come by it. */
export const PROVIDER = {
  title: 'the harbour office',
  issuer: `http://127.0.0.1:${STANDIN_PORTS.signIn}`,
  clientId: 'bugle',
  clientSecret: 'lamp-on-the-skerry',
  people: [
    {
      sub: 'ho-114',
      name: 'Rasmus Holt',
      email: 'rasmus.holt@marram.example',
      groups: ['harbour-masters'],
    },
    { sub: 'ho-127', name: 'Una Sinclair', email: 'una.sinclair@marram.example', groups: ['night-watch'] },
  ],
  /** What their groups there are here. */
  operators: 'harbour-masters',
  nightDesk: 'night-watch',
} as const
