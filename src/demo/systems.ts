import { systemSchema, type SystemContent } from '@/core/work/systems'
import { COMMAND_LINE } from '@/service/base/actor'
import { addSystemIn } from '@/service/work/systems'
import type { Tx } from '@/store/db'
import { STANDIN_PORTS } from './exchange'

const system = (title: string, says: Partial<SystemContent>): SystemContent => systemSchema.parse({ title, ...says })

/** What the ferries' work serves or is done on; what others run on comes first. */
const SYSTEMS: readonly SystemContent[] = [
  system('kelda-db1', {
    kind: 'host',
    host: 'kelda-db1',
    account: 'database-care',
    pool: 'quay',
    notes: 'The machine of both databases. Its own agent is for their backups; care comes from outside.',
  }),
  system('Booking database', {
    kind: 'database',
    host: 'kelda-db1',
    port: 5432,
    database: 'bookings',
    tls: true,
    account: 'database-care',
    pool: 'data',
    on: ['kelda-db1'],
  }),
  system('Ledger database', {
    kind: 'database',
    host: 'kelda-db1',
    port: 5432,
    database: 'ledger',
    tls: true,
    account: 'database-care',
    pool: 'data',
    on: ['kelda-db1'],
  }),
  system('Booking application', {
    kind: 'application',
    host: 'kelda-app1',
    port: 8443,
    tls: true,
    pool: 'quay',
    on: ['booking-database'],
  }),
  system('Ledger', {
    kind: 'application',
    host: 'kelda-app2',
    port: 8443,
    tls: true,
    pool: 'quay',
    on: ['ledger-database'],
  }),
  system('Sign on Kelda quay', {
    kind: 'host',
    host: '127.0.0.1',
    port: STANDIN_PORTS.machine,
    account: 'quay-machine',
    pool: 'lab',
    notes: 'A timetable sign, which has no agent.',
  }),
  system('Harbour authority', {
    kind: 'host',
    host: '127.0.0.1',
    port: STANDIN_PORTS.files,
    account: 'harbour-files',
    pool: 'lab',
    notes: 'Outside: takes passenger lists as files.',
  }),
]

export async function addSystems(tx: Tx): Promise<void> {
  for (const content of SYSTEMS) await addSystemIn(tx, { ...COMMAND_LINE, name: 'Ines Aldaya' }, content)
}
