'use client'
import { useEffect, useState, type ReactNode } from 'react'
import { parseRecurrence } from '@/core/calendar/recurrence-parse'
import { readPhrase } from '@/core/phrase/read'
import { say } from '@/core/phrase/say'
import type { Timed } from '@/core/events/kinds'
import { parseCron } from '@/core/timing/cron'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import type { EveryRule, TimeRule } from '@/core/timing/rule'
import type { TriggerDefinition } from '@/core/work/trigger'
import type { CalendarRow } from '@/service/timing/calendars'
import { useFollowing } from '@/ui/hooks/following'
import { useHome } from '@/ui/hooks/me'
import { DateField } from '@/ui/parts/date-field'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Small, Stack } from '@/ui/parts/layout'
import { Sentence, Word } from '@/ui/parts/sentence'
import { readOr } from '@/app/shared/timing/read-or'
import type { SectionProps } from '@/app/shared/timing/section-props'
import { readTimes, TimeField } from '@/app/shared/timing/time-field'

const KINDS = [
  { id: 'at', title: 'at times of day' },
  { id: 'every', title: 'again and again' },
  { id: 'cron', title: 'by a cron line' },
  { id: 'rrule', title: 'by a recurrence' },
]
type Kind = 'at' | 'every' | 'cron' | 'rrule'

/** The rule as a phrase, and the same rule as a form: a change of one shows in the other. */
export function TimeFields({
  definition,
  define,
  faultOf,
  calendars,
  onPhraseFault,
}: SectionProps & {
  definition: Timed<TriggerDefinition>
  calendars: readonly CalendarRow[]
  onPhraseFault: (fault: string | null) => void
}): ReactNode {
  const names = calendars.map(({ slug, title }) => ({ id: slug, title }))
  const home = useHome()
  const [phrase, setPhrase] = useState(() => say(definition, names))
  const [fault, setFault] = useState<string | null>(null)
  // What the phrase was last read as: a rule that differs was changed in the form.
  const [readAs, setReadAs] = useState(() => ruleKey(definition))
  const key = ruleKey(definition)
  useEffect(() => {
    if (key === readAs) return
    setReadAs(key)
    setPhrase(saidOr(definition, names))
    setFault(null)
    onPhraseFault(null)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the rule decides; names and the callback only serve it.
  }, [key, readAs])
  const type = (text: string): void => {
    setPhrase(text)
    const read = readOr(() => readPhrase(text, names, home))
    const problem = 'fault' in read ? read.fault : null
    setFault(problem)
    onPhraseFault(problem)
    if ('fault' in read) return
    const { time, on, notOn, ...more } = read.value
    setReadAs(ruleKey({ time, on, notOn }))
    // A zone, a first and a last day only if they were said: else those of the form stay.
    define({ time, on, notOn, ...more })
  }
  const { time } = definition
  const kind = Object.keys(time).find((each) => KINDS.some(({ id }) => id === each)) as Kind
  return (
    <Stack>
      <TextField
        label="In words"
        value={phrase}
        onChange={type}
        error={fault ?? undefined}
        placeholder="weekdays at 17:00 · every 15 minutes between 06:00 and 22:00 · last working day of the month at 18:30"
      />
      <Sentence>
        <Word>or</Word>
        <Select
          label="Kind of rule"
          hideLabel
          value={kind}
          onChange={(next) => define({ time: START[next as Kind] })}
          choices={KINDS}
          width="170px"
        />
        {'at' in time && (
          <AtField times={time.at} onChange={(at) => define({ time: { at } })} error={faultOf('definition.time.at')} />
        )}
        {'every' in time && (
          <EveryField
            every={time.every}
            onChange={(every) => define({ time: { every } })}
            error={faultOf('definition.time.every.step')}
          />
        )}
        {'cron' in time && <CronField cron={time.cron} onChange={(cron) => define({ time: { cron } })} />}
        {'rrule' in time && <RecurrenceFields rule={time} onChange={(next) => define({ time: next })} />}
      </Sentence>
    </Stack>
  )
}

const START: Record<Kind, TimeRule> = {
  at: { at: ['06:00'] },
  every: { every: { step: 'PT15M' } },
  cron: { cron: '0 6 * * *' },
  rrule: { rrule: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=MO', start: '2027-01-04T06:00' },
}

function ruleKey({ time, on, notOn }: Pick<Timed<TriggerDefinition>, 'time' | 'on' | 'notOn'>): string {
  return JSON.stringify([time, on ?? null, notOn ?? null])
}

/** A rule in the middle of being typed may not make a sentence yet. */
function saidOr(definition: Timed<TriggerDefinition>, names: readonly { id: string; title: string }[]): string {
  try {
    return say(definition, names)
  } catch {
    return ''
  }
}

function AtField({
  times,
  onChange,
  error,
}: {
  times: readonly string[]
  onChange: (times: readonly string[]) => void
  error: string | undefined
}): ReactNode {
  const [text, setText] = useFollowing(times.join(', '), String)
  const read = readTimes(text)
  return (
    <TextField
      label="Times of day"
      hideLabel
      value={text}
      onChange={(next) => {
        const again = readTimes(next)
        const now = 'value' in again ? again.value : [next]
        setText(next, now.join(', '))
        onChange(now)
      }}
      error={'fault' in read ? read.fault : error}
      width="240px"
      placeholder="06:00, 12:30, 5pm, midnight"
    />
  )
}

const UNITS = [
  { id: '60', title: 'minutes' },
  { id: '3600', title: 'hours' },
  { id: '1', title: 'seconds' },
]

/** `PT90M` as how many of which unit; the largest unit that fits. */
function stepFields(step: string): { n: string; unit: number } {
  const seconds = parseDuration(step)
  if (seconds === undefined) return { n: step, unit: 60 }
  const unit = seconds % 60 !== 0 ? 1 : seconds % 3600 !== 0 || seconds === 0 ? 60 : 3600
  return { n: seconds === 0 ? '' : String(seconds / unit), unit }
}

function EveryField({
  every,
  onChange,
  error,
}: {
  every: EveryRule
  onChange: (every: EveryRule) => void
  error: string | undefined
}): ReactNode {
  const [{ n, unit }, setStep] = useFollowing(every.step, stepFields)
  const step = (next: string, by: number): void => {
    // Anything but a whole number stands as it is, which the rule’s check refuses with its reason.
    const meant = /^\d{1,5}$/.test(next.trim()) ? isoDuration(Number(next) * by) : next
    setStep({ n: next, unit: by }, meant)
    onChange({ ...every, step: meant })
  }
  const set = (change: { from?: string | undefined; until?: string | undefined }): void => {
    const { from, until } = { ...every, ...change }
    onChange({ step: every.step, ...(from ? { from } : {}), ...(until ? { until } : {}) })
  }
  return (
    <>
      <Word>every</Word>
      <TextField
        label="How many"
        hideLabel
        value={n}
        onChange={(next) => step(next, unit)}
        error={error && 'From 1 second to 24 hours.'}
        width="52px"
      />
      <Select
        label="Unit"
        hideLabel
        value={String(unit)}
        onChange={(by) => step(n, Number(by))}
        choices={UNITS}
        width="96px"
      />
      <Word>from</Word>
      <TimeField label="From" value={every.from} onChange={(from) => set({ from })} empty="midnight" />
      <Word>until</Word>
      <TimeField label="Until" value={every.until} onChange={(until) => set({ until })} empty="midnight" />
    </>
  )
}

function CronField({ cron, onChange }: { cron: string; onChange: (cron: string) => void }): ReactNode {
  const parsed = parseCron(cron)
  return (
    <TextField
      label="Cron line"
      hideLabel
      mono
      value={cron}
      onChange={onChange}
      error={parsed.ok ? undefined : parsed.fault}
      width="220px"
    />
  )
}

function RecurrenceFields({
  rule,
  onChange,
}: {
  rule: Extract<TimeRule, { rrule: string }>
  onChange: (rule: TimeRule) => void
}): ReactNode {
  const parsed = parseRecurrence(rule.rrule, 'times')
  return (
    <>
      <TextField
        label="Recurrence"
        hideLabel
        mono
        value={rule.rrule}
        onChange={(rrule) => onChange({ ...rule, rrule })}
        error={parsed.ok ? undefined : parsed.fault}
        width="300px"
      />
      <Word>counted from</Word>
      <DateField
        label="Counted from"
        hideLabel
        isTimed
        value={rule.start}
        onChange={(start) => onChange({ ...rule, start })}
        width="190px"
      />
      <Small style={{ lineHeight: '28px' }}>in the trigger’s zone</Small>
    </>
  )
}
