import { changesSchema, listChanges } from '@/service/log/changes'
import {
  addShiftNote,
  handOver,
  handOverSchema,
  removeShiftNote,
  shiftLog,
  shiftLogSchema,
  shiftNoteSchema,
} from '@/service/log/shift-log'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** What was changed, and what a shift hands on. */
export const LOG: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/changes',
    'see',
    {
      says: 'what was changed of definitions and the fleet from `from` on and before `to`, by whom, the latest first, each with the runs that failed within a day after it and touched it: `{changes, isCut}`; `text` narrows down',
      query: changesSchema,
    },
    ({ actor, query }) => listChanges(actor, query),
  ),
  endpoint(
    'GET',
    '/shift-log',
    'see',
    {
      says: 'a shift’s log, of 32 days at most: matters that were open before and those that were opened, what came of them, changes, notes, who handed over to whom',
      query: shiftLogSchema,
    },
    ({ actor, query }) => shiftLog(actor, query),
  ),
  endpoint(
    'POST',
    '/shift-log/notes',
    'operate',
    { says: 'a note to whoever reads the log', body: shiftNoteSchema },
    ({ actor, body }) => addShiftNote(actor, body),
  ),
  endpoint(
    'DELETE',
    '/shift-log/notes/:id',
    'operate',
    { says: 'takes back a note of one’s own' },
    ({ actor, params }) => removeShiftNote(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/shift-log/hand-over',
    'operate',
    { says: 'hands a stretch over to whoever comes next', body: handOverSchema },
    ({ actor, body }) => handOver(actor, body),
  ),
]
