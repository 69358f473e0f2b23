import { config } from '@/store/config'
import {
  addPerson,
  changePerson,
  listPeople,
  personChangeSchema,
  personSchema,
  preferencesSchema,
  savePreferences,
} from '@/service/people/people'
import * as invitations from '@/service/letters/invitations'
import * as groups from '@/service/people/groups'
import * as tokens from '@/service/people/access-tokens'
import * as sessions from '@/service/people/sessions'
import * as signIn from '@/service/entry/sign-in'
import { rightsFile } from '@/service/people/organisation'
import { rightsOfPerson } from '@/service/work/who-may'
import * as providers from '@/service/elsewhere/providers'
import * as services from '@/service/work/service-accounts'
import { handOn, handOnSchema, ownsWhat } from '@/service/runs/handing-on'
import * as factors from '@/service/entry/factors'
import { addFactor } from '@/service/entry/entry'
import { beginFactor, newFactorSchema } from '@/service/entry/make-factor'
import { whoCalls } from '@/app/server/caller'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Who one is, and who else may use Bugle. */
export const PEOPLE: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/me',
    'see',
    { says: 'who the token belongs to, and how they like it' },
    async ({ actor, signedIn }) => ({
      ...actor,
      preferences: signedIn.preferences,
      isDemo: config().isDemo,
    }),
  ),
  endpoint('PATCH', '/me', 'see', { says: 'your preferences', body: preferencesSchema, own: true }, ({ actor, body }) =>
    savePreferences(actor, body),
  ),
  endpoint(
    'POST',
    '/me/password',
    'see',
    { says: 'change it; your other sessions end', body: signIn.passwordChangeSchema, own: true },
    ({ actor, body }) => signIn.changePassword(actor, body),
  ),
  endpoint('GET', '/me/sessions', 'see', { says: 'where you are signed in' }, ({ actor }) =>
    sessions.mySessions(actor),
  ),
  endpoint('DELETE', '/me/sessions/:id', 'see', { says: 'end one', own: true }, ({ actor, params }) =>
    sessions.endSession(actor, id(params)),
  ),
  endpoint('GET', '/me/tokens', 'see', { says: 'your access tokens' }, ({ actor }) => tokens.myTokens(actor)),
  endpoint(
    'POST',
    '/me/confirm',
    'see',
    {
      says: '`{password}`: shows again that it is you; asked for (`confirm-first`) by changes that need an administrator, and for new tokens, ten minutes after the last time',
      body: signIn.confirmSchema,
      own: true,
    },
    ({ actor, body }) => signIn.confirmSession(actor, body),
  ),
  endpoint(
    'POST',
    '/me/tokens',
    'see',
    {
      says: '`{name, days, may}`: a new one, shown once; `may` is `see`, `operate`, `design` or `administer`, and never more than yours',
      body: tokens.tokenSchema,
      own: true,
      confirm: true,
    },
    ({ actor, body }) => tokens.addToken(actor, body),
  ),
  endpoint('GET', '/me/second-factors', 'see', { says: 'what you show beside the password' }, ({ actor }) =>
    factors.myFactors(actor),
  ),
  endpoint(
    'POST',
    '/me/second-factors/begin',
    'see',
    {
      says: 'what one more is made of: for an app a secret, as text and as the address of a picture; for a passkey what the browser is asked',
      own: true,
      confirm: true,
    },
    ({ actor, request }) => beginFactor(actor, whoCalls(request).pages),
  ),
  endpoint(
    'POST',
    '/me/second-factors',
    'see',
    {
      says: '`{ticket, title, code}` or `{ticket, title, passkey}`: takes it, once it has shown that it works; answers with codes on paper where there are none yet',
      body: newFactorSchema,
      own: true,
    },
    ({ actor, body, request }) => addFactor(actor, body, whoCalls(request).pages),
  ),
  endpoint(
    'DELETE',
    '/me/second-factors/:id',
    'see',
    { says: 'remove one', own: true, confirm: true },
    ({ actor, params }) => factors.removeFactor(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/me/recovery-codes',
    'see',
    { says: 'new codes on paper in place of the old ones, shown once', own: true, confirm: true },
    ({ actor }) => factors.renewMyCodes(actor),
  ),
  endpoint(
    'DELETE',
    '/people/:id/second-factors',
    'administer',
    { says: 'takes the second factors of somebody who has lost them' },
    ({ actor, params }) => factors.removeFactorsOf(actor, id(params)),
  ),
  endpoint('DELETE', '/me/tokens/:id', 'see', { says: 'revoke it', own: true }, ({ actor, params }) =>
    tokens.revokeToken(actor, id(params)),
  ),
  endpoint('GET', '/people', 'see', { says: 'all people' }, ({ actor }) => listPeople(actor)),
  endpoint(
    'GET',
    '/people/:id/rights',
    'see',
    { says: 'what somebody may on each area that you may see, and where it comes from' },
    ({ actor, params }) => rightsOfPerson(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/rights',
    'administer',
    { says: 'people, groups and areas with their members, as `bugle rights` reads them' },
    ({ actor }) => rightsFile(actor),
  ),
  endpoint(
    'GET',
    '/people/:id/owns',
    'administer',
    { says: 'what somebody has taken upon them, and should be handed on before they are switched off' },
    ({ actor, params }) => ownsWhat(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/people/:id/hand-on',
    'administer',
    { says: '`{to}`: hands it on to somebody else; null: what was taken is open again', body: handOnSchema },
    ({ actor, params, body }) => handOn(actor, id(params), body),
  ),
  endpoint('GET', '/service-accounts', 'see', { says: 'accounts of scripts, in areas that you may see' }, ({ actor }) =>
    services.listServiceAccounts(actor),
  ),
  endpoint(
    'POST',
    '/service-accounts',
    'administer',
    {
      says: '`{title, notes, areaId, may}`: add one; takes *manage* on the area',
      body: services.serviceAccountSchema,
    },
    ({ actor, body }) => services.addServiceAccount(actor, body),
  ),
  endpoint(
    'PATCH',
    '/service-accounts/:id',
    'administer',
    {
      says: '`{title?, notes?, may?, active?}`; switched off, its tokens end',
      body: services.serviceAccountChangeSchema,
    },
    ({ actor, params, body }) => services.changeServiceAccount(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/service-accounts/:id/tokens',
    'administer',
    {
      says: '`{name, days, may}`: a token of it, shown once; it may no more than the account',
      body: tokens.tokenSchema,
    },
    ({ actor, params, body }) => services.addServiceToken(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/service-accounts/:id/tokens/:tokenId',
    'administer',
    { says: 'revoke it' },
    ({ actor, params }) => services.revokeServiceToken(actor, id(params), id(params, 'tokenId')),
  ),
  endpoint('GET', '/providers', 'administer', { says: 'where people sign in elsewhere' }, ({ actor }) =>
    providers.listProviders(actor),
  ),
  endpoint(
    'POST',
    '/providers',
    'administer',
    {
      says: '`{title, issuer, clientId, clientSecret?, claim, rules, makesPeople, role, active}`: add a provider that speaks OpenID Connect; the secret is never told again',
      body: providers.providerSchema,
    },
    ({ actor, body }) => providers.addProvider(actor, body),
  ),
  endpoint(
    'PUT',
    '/providers/:id',
    'administer',
    { says: 'the same; without `clientSecret` it keeps the one that it has', body: providers.providerSchema },
    ({ actor, params, body }) => providers.changeProvider(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/providers/:id',
    'administer',
    { says: 'remove it: sessions that came by it end, its people stay' },
    ({ actor, params }) => providers.removeProvider(actor, id(params)),
  ),
  endpoint('GET', '/groups', 'see', { says: 'all groups, with their people' }, ({ actor }) => groups.listGroups(actor)),
  endpoint(
    'POST',
    '/groups',
    'administer',
    { says: '`{title, notes, people}`: add one', body: groups.groupSchema },
    ({ actor, body }) => groups.addGroup(actor, body),
  ),
  endpoint(
    'PUT',
    '/groups/:id',
    'administer',
    { says: 'save it', body: groups.groupSchema },
    ({ actor, params, body }) => groups.saveGroup(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/groups/:id',
    'administer',
    { says: 'refused while it is a member of areas' },
    ({ actor, params }) => groups.removeGroup(actor, id(params)),
  ),
  endpoint('GET', '/invitations', 'administer', { says: 'those that nobody has taken up yet' }, ({ actor }) =>
    invitations.listInvitations(actor),
  ),
  endpoint(
    'POST',
    '/invitations',
    'administer',
    {
      says: '`{email, role, areas, note}`: writes to somebody, with a link that works once and for seven days',
      body: invitations.invitationSchema,
    },
    ({ actor, body }) => invitations.invite(actor, body),
  ),
  endpoint(
    'POST',
    '/invitations/:id/renew',
    'administer',
    { says: 'writes again, with another link' },
    ({ actor, params }) => invitations.renewInvitation(actor, id(params)),
  ),
  endpoint('DELETE', '/invitations/:id', 'administer', { says: 'its link works no longer' }, ({ actor, params }) =>
    invitations.withdrawInvitation(actor, id(params)),
  ),
  endpoint('POST', '/people', 'administer', { says: 'add one', body: personSchema }, ({ actor, body }) =>
    addPerson(actor, body),
  ),
  endpoint(
    'PATCH',
    '/people/:id',
    'administer',
    { says: 'name, role, whether they may sign in, password', body: personChangeSchema },
    ({ actor, params, body }) => changePerson(actor, id(params), body),
  ),
]
