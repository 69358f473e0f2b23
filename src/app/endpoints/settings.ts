import { z } from 'zod'
import { listAudit } from '@/service/base/audit'
import * as addresses from '@/service/notices/addresses'
import { saveSecondFactorSetting, secondFactorSetting } from '@/service/entry/factors'
import { addressesSchema, secondFactorSettingSchema } from '@/service/base/settings'
import { endpoint, type Endpoint } from '@/app/server/endpoint'

const auditQuery = z.strictObject({ before: z.coerce.number().int().optional(), text: z.string().max(100).optional() })

/** What counts for the whole server, and what was changed. */
export const SETTINGS: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/audit',
    'administer',
    { says: 'what was changed, by whom, from where; `before`, `text`', query: auditQuery },
    ({ actor, query }) => listAudit(actor, query),
  ),
  endpoint('GET', '/second-factor', 'administer', { says: 'whose role asks for a second factor' }, ({ actor }) =>
    secondFactorSetting(actor),
  ),
  endpoint(
    'PUT',
    '/second-factor',
    'administer',
    { says: '`{roles}`: these ask for a second factor, from the next signing in on', body: secondFactorSettingSchema },
    ({ actor, body }) => saveSecondFactorSetting(actor, body),
  ),
  endpoint(
    'GET',
    '/addresses',
    'administer',
    { says: 'networks beyond the public ones that the server itself may call' },
    ({ actor }) => addresses.addressesOf(actor),
  ),
  endpoint(
    'PUT',
    '/addresses',
    'administer',
    { says: '`{allow}`: addresses, or networks such as `10.0.0.0/8`', body: addressesSchema },
    ({ actor, body }) => addresses.saveAddresses(actor, body),
  ),
]
