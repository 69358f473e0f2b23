'use client'
import dynamic from 'next/dynamic'
import { useMemo, type ReactNode } from 'react'
import { clock, count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { DaysButton } from '@/ui/parts/days-button'
import { Mute, Page, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { Guesses } from './guesses'
import { asked, MOST_HOURS, STRETCHES, titleOf, USUAL } from './stretch'
import { TuningNav, tabOf } from './tuning-nav'
import { useNight } from './use-night'

const CHOSEN = 'chosen'

const TABS = {
  load: dynamic(() => import('./load-tab').then(({ LoadTab }) => LoadTab)),
  deadlines: dynamic(() => import('./deadlines-tab').then(({ DeadlinesTab }) => DeadlinesTab)),
  proposals: dynamic(() => import('./proposals-tab').then(({ ProposalsTab }) => ProposalsTab)),
  'what-if': dynamic(() => import('./what-if-tab').then(({ WhatIfTab }) => WhatIfTab)),
  schedules: dynamic(() => import('./schedules-tab').then(({ SchedulesTab }) => SchedulesTab)),
  right: dynamic(() => import('./right-tab').then(({ RightTab }) => RightTab)),
}

/** So many triggers are named in a line. */
const MOST_NAMED = 5

/** What will happen in a stretch, how sure that is, and what to change. */
export function TuningScreen(): ReactNode {
  const { values, set } = useAddress()
  const { zone } = useMe()
  const { night, from, hours } = values
  const { name, ...stretch } = useMemo(
    () => asked({ ...(night ? { night } : {}), ...(from ? { from } : {}), ...(hours ? { hours } : {}) }, zone),
    [night, from, hours, zone],
  )
  const tab = tabOf(values)
  const { night: data, error } = useNight(stretch)
  const Tab = TABS[tab]
  const ends = new Date(Date.parse(stretch.from) + stretch.hours * 3_600_000)
  return (
    <Page style={{ paddingBottom: 12 }}>
      <Row $wrap>
        <h1>{titleOf(stretch, zone)}</h1>
        <Small>
          {clock(stretch.from, zone)} to {clock(ends, zone)}
          {data &&
            ` · ${count(data.forecast.runs.length, 'run')} forecast${data.forecast.samples > 0 ? ` · ${data.forecast.samples} samples` : ' · chances follow'}`}
        </Small>
        <Select
          label="Which stretch"
          hideLabel
          value={name ?? CHOSEN}
          onChange={(id) => id !== CHOSEN && set({ from: null, hours: null, night: id === USUAL ? null : id })}
          choices={[
            ...Object.entries(STRETCHES).map(([id, title]) => ({ id, title })),
            ...(name ? [] : [{ id: CHOSEN, title: 'as chosen' }]),
          ]}
          width="150px"
        />
        <DaysButton
          onDays={(days) => {
            const length = Math.round((Date.parse(days.to) - Date.parse(days.from)) / 3_600_000)
            set({ night: null, from: days.from, hours: String(Math.min(MOST_HOURS, length)) })
          }}
        />
        <Spring />
        <TuningNav />
      </Row>
      <Trouble error={error} />
      {data && data.leftOut.length > 0 && (
        <Small>Left out, since what is stored of it cannot be read: {data.leftOut.join(', ')}.</Small>
      )}
      {data && data.byEvents.length > 0 && (
        <Small title={data.byEvents.join(', ')}>
          Not foreseen, since what happens starts {data.byEvents.length === 1 ? 'it' : 'them'}:{' '}
          {data.byEvents.slice(0, MOST_NAMED).join(', ')}
          {data.byEvents.length > MOST_NAMED && ` and ${data.byEvents.length - MOST_NAMED} more`}.
        </Small>
      )}
      {data && <Guesses night={data} />}
      {data ? <Tab stretch={stretch} night={data} /> : !error && <Mute>The stretch is played …</Mute>}
      {error && (
        <Small>
          Look at <Link href="/tuning">this night</Link> instead.
        </Small>
      )}
    </Page>
  )
}
