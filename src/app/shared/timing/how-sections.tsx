'use client'
import type { ReactNode } from 'react'
import { MAKE_UP, OVERLAPS, SPREADS } from '@/core/bundle/schema'
import { PRIORITIES } from '@/core/dispatch/types'
import { kindOf } from '@/core/events/kinds'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import { FOLDS, GAPS } from '@/core/timing/rule'
import type { TriggerPreview } from '@/service/forecast/previews'
import { day } from '@/ui/format'
import { DateField } from '@/ui/parts/date-field'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Small, Stack } from '@/ui/parts/layout'
import { OptionalNumber } from '@/ui/parts/number-field'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { useFollowing } from '@/ui/hooks/following'
import { TimeField } from './time-field'
import type { SectionProps } from '@/app/shared/timing/section-props'

const ZONES = Intl.supportedValuesOf('timeZone')
const GAP_WORDS = { later: 'start later, by as much as the clock jumps', skip: 'leave it out' }
const FOLD_WORDS = { first: 'the first time only', second: 'the second time only', both: 'both times' }

/** Whose clock it goes by, and what happens where that clock changes: asked only where it matters. */
export function ZoneSection({
  definition,
  define,
  faultOf,
  clockDates,
}: SectionProps & { clockDates: TriggerPreview['clockDates'] }): ReactNode {
  const zone = definition.zone ?? 'UTC'
  const dates = (what: 'gap' | 'fold'): TriggerPreview['clockDates'] => clockDates.filter((date) => date.what === what)
  const [gaps, folds] = [dates('gap'), dates('fold')]
  return (
    <Part aria-label="Clock">
      <h2>By the clock of</h2>
      <Stack>
        <Sentence>
          <Select
            label="Time zone"
            hideLabel
            value={zone}
            onChange={(next) => define({ zone: next })}
            choices={[...new Set(['UTC', ...ZONES, zone])].map((id) => ({ id, title: id }))}
            width="220px"
            error={faultOf('definition.zone')}
          />
          <Word>from</Word>
          <DateField
            label="First day"
            hideLabel
            value={definition.from ?? ''}
            onChange={(from) => define({ from: from || undefined })}
            error={faultOf('definition.from')}
            width="130px"
          />
          <Word>to</Word>
          <DateField
            label="Last day"
            hideLabel
            value={definition.until ?? ''}
            onChange={(until) => define({ until: until || undefined })}
            error={faultOf('definition.until')}
            width="130px"
          />
          <Word>(open if empty)</Word>
        </Sentence>
        {(gaps.length > 0 || definition.gap !== 'later') && (
          <Sentence>
            <Word>Where the clock skips its time</Word>
            <Select
              label="Where the clock skips its time"
              hideLabel
              value={definition.gap}
              onChange={(gap) => define({ gap: gap as (typeof GAPS)[number] })}
              choices={GAPS.map((id) => ({ id, title: GAP_WORDS[id] }))}
              width="290px"
            />
            <Dates dates={gaps} zone={zone} />
          </Sentence>
        )}
        {(folds.length > 0 || definition.fold !== 'first') && (
          <Sentence>
            <Word>Where its time comes twice</Word>
            <Select
              label="Where its time comes twice"
              hideLabel
              value={definition.fold}
              onChange={(fold) => define({ fold: fold as (typeof FOLDS)[number] })}
              choices={FOLDS.map((id) => ({ id, title: FOLD_WORDS[id] }))}
              width="190px"
            />
            <Dates dates={folds} zone={zone} />
          </Sentence>
        )}
      </Stack>
    </Part>
  )
}

function Dates({ dates, zone }: { dates: TriggerPreview['clockDates']; zone: string }): ReactNode {
  if (dates.length === 0) return <Small style={{ lineHeight: '28px' }}>not in the next three years</Small>
  return (
    <Small style={{ lineHeight: '28px' }}>
      next on {dates.map(({ at }) => `${day(at, zone)} ${at.slice(0, 4)}`).join(', ')}
    </Small>
  )
}

/** By when a run must have ended, and within what times the start may be moved. */
export function DeadlineSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const { window } = definition
  const setWindow = (change: { earliest?: string | undefined; latest?: string | undefined }): void => {
    const { earliest, latest } = { ...window, ...change }
    define({ window: earliest || latest ? { earliest: earliest ?? '', latest: latest ?? '' } : undefined })
  }
  return (
    <Part aria-label="Deadline">
      <h2>To finish by</h2>
      <Sentence>
        <TimeField
          label="Finish by"
          value={definition.finishBy}
          onChange={(finishBy) => define({ finishBy })}
          empty="no limit"
          error={faultOf('definition.finishBy')}
        />
        {kindOf(definition) === 'time' && (
          <>
            <Word>May be moved between</Word>
            <TimeField
              label="Earliest"
              value={window?.earliest || undefined}
              onChange={(earliest) => setWindow({ earliest })}
              empty="fixed"
              error={faultOf('definition.window.earliest')}
            />
            <Word>and</Word>
            <TimeField
              label="Latest"
              value={window?.latest || undefined}
              onChange={(latest) => setWindow({ latest })}
              empty="fixed"
              error={faultOf('definition.window.latest')}
            />
            <Word>when the load is evened.</Word>
          </>
        )}
      </Sentence>
    </Part>
  )
}

export const OVERLAP_WORDS = {
  wait: 'wait for it',
  skip: 'leave this start out',
  start: 'start all the same',
  replace: 'stop it and start',
}
export const MAKE_UP_WORDS = { once: 'once for all that were missed', each: 'each that was missed' }
const SPREAD_WORDS = { one: 'one machine of the target', each: 'every machine of the target' }

export function HowSection({
  definition,
  define,
  faultOf,
  isFlow,
}: SectionProps & {
  /** The steps of a flow go to their own places. */
  isFlow: boolean
}): ReactNode {
  const kind = kindOf(definition)
  return (
    <Part aria-label="How">
      <h2>How</h2>
      <Stack>
        <Sentence>
          {isFlow ? (
            <Word>With priority</Word>
          ) : (
            <>
              <Word>On</Word>
              <Select
                label="Machines"
                hideLabel
                value={definition.spread}
                onChange={(spread) => define({ spread: spread as (typeof SPREADS)[number] })}
                choices={SPREADS.map((id) => ({ id, title: SPREAD_WORDS[id] }))}
                width="205px"
              />
              <Word>, priority</Word>
            </>
          )}
          <Select
            label="Priority"
            hideLabel
            value={definition.priority ?? BY_DEFAULT}
            onChange={(priority) =>
              define({ priority: priority === BY_DEFAULT ? undefined : (priority as (typeof PRIORITIES)[number]) })
            }
            choices={[
              { id: BY_DEFAULT, title: `as the ${isFlow ? 'flow' : 'job'} says` },
              ...PRIORITIES.map((id) => ({ id, title: id })),
            ]}
            width="140px"
          />
        </Sentence>
        {kind !== 'backlog' && (
          <Sentence>
            <Word>If the run before still goes on:</Word>
            <Select
              label="If the run before still goes on"
              hideLabel
              value={definition.overlap}
              onChange={(overlap) => define({ overlap: overlap as (typeof OVERLAPS)[number] })}
              choices={OVERLAPS.map((id) => ({ id, title: OVERLAP_WORDS[id] }))}
              width="180px"
            />
            {(definition.overlap === 'wait' || definition.waitMost !== undefined) && (
              <>
                <Word>and at most</Word>
                <OptionalNumber
                  label="How many may wait"
                  hideLabel
                  value={definition.waitMost ?? null}
                  onChange={(most) => define({ waitMost: most ?? undefined })}
                  error={faultOf('definition.waitMost')}
                  placeholder="any number"
                />
                <Word>wait for it; the next is not started.</Word>
              </>
            )}
          </Sentence>
        )}
        {kind === 'time' && (
          <Sentence>
            <Word>If its time was missed, make it up within</Word>
            <MinutesField
              label="Late start allowance, minutes"
              value={definition.lateStart}
              onChange={(lateStart) => define({ lateStart })}
              error={faultOf('definition.lateStart')}
            />
            <Word>minutes,</Word>
            <Select
              label="Made up"
              hideLabel
              value={definition.makeUp}
              onChange={(makeUp) => define({ makeUp: makeUp as (typeof MAKE_UP)[number] })}
              choices={MAKE_UP.map((id) => ({ id, title: MAKE_UP_WORDS[id] }))}
              width="225px"
            />
          </Sentence>
        )}
      </Stack>
    </Part>
  )
}
const BY_DEFAULT = 'by default'

/** A duration as minutes; empty: what the server uses where nothing is said, an hour. */
export function MinutesField({
  label,
  value,
  onChange,
  error,
  isLabelled = false,
  empty = '60',
}: {
  label: string
  value: string | undefined
  onChange: (duration: string | undefined) => void
  error?: string | undefined
  isLabelled?: boolean
  /** What an empty one means. */
  empty?: string
}): ReactNode {
  const [text, setText] = useFollowing(value ?? '', minutesOf)
  const isGood = text === '' || /^\d{1,6}(\.\d{1,2})?$/.test(text)
  return (
    <TextField
      label={label}
      hideLabel={!isLabelled}
      value={text}
      onChange={(next) => {
        const meant = /^\d{1,6}(\.\d{1,2})?$/.test(next)
          ? isoDuration(Math.round(Number(next) * 60))
          : next || undefined
        setText(next, meant ?? '')
        onChange(meant)
      }}
      placeholder={empty}
      error={isGood ? error : 'A number of minutes.'}
      width="70px"
    />
  )
}

function minutesOf(value: string): string {
  const seconds = parseDuration(value)
  return seconds === undefined ? value : String(Math.round((seconds / 60) * 100) / 100)
}
