import * as choice from '@/service/organisations/choice'
import * as organisations from '@/service/organisations/organisations'
import * as administrators from '@/service/people/server-administrators'
import { whoCalls } from '@/app/server/caller'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Where one is a member; and, for whoever looks after the server, all organisations of it. */
export const ORGANISATIONS: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/me/organisations',
    'see',
    {
      says: 'the organisation you are in, and those that you have shown to be of, too; none where the server has but one',
    },
    ({ actor }) => choice.myOrganisations(actor),
  ),
  endpoint(
    'POST',
    '/me/organisations',
    'see',
    {
      says: '`{email, password}`: shows that somebody in another organisation of this server is you; from then on you go over without signing in anew',
      body: choice.joinSchema,
      own: true,
    },
    ({ actor, body, request }) => choice.joinOrganisation(actor, body, whoCalls(request)),
  ),
  endpoint(
    'GET',
    '/organisations',
    'administer',
    {
      says: 'all organisations of the server, and nothing of what is in them; this and what follows takes an administrator of the whole server, signed in',
    },
    ({ actor }) => organisations.listOrganisations(actor),
  ),
  endpoint(
    'POST',
    '/organisations',
    'administer',
    {
      says: '`{title}`: makes one, and answers with the one-time code of its first administrator, shown once and good for a day',
      body: organisations.organisationSchema,
    },
    ({ actor, body }) => organisations.makeOrganisation(actor, body),
  ),
  endpoint(
    'PATCH',
    '/organisations/:id',
    'administer',
    {
      says: '`{title?, active?}`: renames it, or switches it off and on: while it is off nobody of it is signed in, its agents are not let in, and nothing of it starts',
      body: organisations.organisationChangeSchema,
    },
    ({ actor, params, body }) => organisations.changeOrganisation(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/organisations/:id/code',
    'administer',
    { says: 'another code for its first administrator, while there is none' },
    ({ actor, params }) => organisations.renewFirstCode(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/server/administrators',
    'administer',
    { says: 'who looks after the server; names only of your own organisation' },
    ({ actor }) => administrators.listServerAdministrators(actor),
  ),
  endpoint(
    'POST',
    '/server/administrators',
    'administer',
    {
      says: '`{personId}`: an administrator of your organisation looks after the server, too',
      body: administrators.serverAdministratorSchema,
    },
    ({ actor, body }) => administrators.addServerAdministrator(actor, body),
  ),
  endpoint(
    'DELETE',
    '/server/administrators/:organisationId/:id',
    'administer',
    { says: 'looks after the server no longer; the last one stays' },
    ({ actor, params }) => administrators.removeServerAdministrator(actor, id(params, 'organisationId'), id(params)),
  ),
  endpoint('GET', '/server/audit', 'administer', { says: 'what was done to the list of organisations' }, ({ actor }) =>
    organisations.serverAudit(actor),
  ),
]
