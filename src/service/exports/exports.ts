import { z } from 'zod'
import { EXPORT_FORMATS } from '@/core/exports/cells'
import type { Actor } from '@/service/base/actor'
import type { Prepared, Preparing } from './export-list'
import * as other from './other-lists'
import * as work from './work-lists'

const FILES = {
  runs: work.runsFile,
  work: work.workFile,
  items: work.itemsFile,
  queues: work.queuesFile,
  matters: work.mattersFile,
  triggers: other.triggersFile,
  'not-started': other.notStartedFile,
  agents: other.agentsFile,
  robots: other.robotsFile,
  pools: other.poolsFile,
  accounts: other.accountsFile,
  locks: other.locksFile,
  systems: other.systemsFile,
  people: other.peopleFile,
  audit: other.auditFile,
} as const satisfies Record<string, Preparing>
export type ExportName = keyof typeof FILES
export const EXPORT_NAMES = Object.keys(FILES) as [ExportName, ...ExportName[]]

/** The list, how it is written, and the list’s own filter, as in its address. */
export const exportSchema = z.looseObject({
  list: z.enum(EXPORT_NAMES),
  /** The queue whose items they are. */
  of: z.coerce.number().int().positive().optional(),
  format: z.enum(EXPORT_FORMATS).default('csv'),
  /** Those of the screen or of the file, in this order, separated by commas; without it all. */
  columns: z
    .string()
    .max(4000)
    .transform((text) => text.split(',').filter(Boolean))
    .optional(),
  /** In whose clock a workbook shows instants. */
  zone: z.string().max(64).default('UTC'),
})
export type ExportRequest = z.output<typeof exportSchema>

/** What is about to be written. Nothing is read before the rows are asked for, but what says how many there are. */
export function prepareExport(
  actor: Actor,
  { list, of, format: _format, zone: _zone, columns, ...filter }: ExportRequest,
): Promise<Prepared> {
  return FILES[list](actor, { of: of ?? null, columns, filter })
}
