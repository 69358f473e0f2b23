'use client'
import dynamic from 'next/dynamic'
import type { ReactNode } from 'react'
import type { CalendarRow } from '@/service/timing/calendars'
import { Small, Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { AddPart } from '../rule/add-part'
import type { SectionProps } from '@/app/shared/timing/section-props'

// Most triggers fire every day.
const DaysPart = dynamic(() => import('./days-part').then((module) => module.DaysPart))

/** On which days it may fire, and on which never. */
export function DaysSection({
  definition,
  define,
  calendars,
}: SectionProps & { calendars: readonly CalendarRow[] }): ReactNode {
  const { on, notOn } = definition
  return (
    <Part aria-label="Days">
      <h2>On</h2>
      <Stack $gap={10}>
        {on ? (
          <DaysPart
            rule={on}
            calendars={calendars}
            onChange={(rule) => define({ on: rule })}
            onNone={() => define({ on: undefined })}
            none="On every day"
          />
        ) : (
          <Sentence>
            <Word>every day</Word>
            <AddPart label="Only on certain days" calendars={calendars} onAdd={(rule) => define({ on: rule })} />
          </Sentence>
        )}
        {notOn ? (
          <>
            <b>Never on</b>
            <DaysPart
              rule={notOn}
              calendars={calendars}
              onChange={(rule) => define({ notOn: rule })}
              onNone={() => define({ notOn: undefined })}
              none="Without exception"
            />
          </>
        ) : (
          <Sentence>
            <Small style={{ lineHeight: '26px' }}>without exception</Small>
            <AddPart label="Never on …" calendars={calendars} onAdd={(rule) => define({ notOn: rule })} />
          </Sentence>
        )}
      </Stack>
    </Part>
  )
}
