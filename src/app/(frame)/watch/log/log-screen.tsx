'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { isoDay, parseIsoDay, type Day } from '@/core/calendar/days'
import { entriesOf, figuresOf, LOG_PARTS, partOf, stillOpen, type LogPart, type ShiftLog } from '@/core/log/night'
import { morningOf, nightTo } from '@/core/reports/period'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { api, queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMay, useMe } from '@/ui/hooks/me'
import { useAtNow } from '@/ui/hooks/now'
import { Button } from '@/ui/parts/button'
import { DateField } from '@/ui/parts/date-field'
import { Empty, FactItem, Facts, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { WatchNav } from '../watch-nav'
import { AddNote } from './add-note'
import { Entry, HandedOver, MatterLine } from './entry'
import { HandOverDialog } from './hand-over-dialog'

const Entries = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  > li {
    display: grid;
    grid-template-columns: 56px 18px minmax(0, 1fr);
    gap: 8px;
    padding: 6px 12px;
    border-top: 1px solid var(--line);
    break-inside: avoid;
  }
  > li:first-child {
    border-top: none;
  }
`
const Figure = styled.button`
  border: 0;
  padding: 0;
  background: transparent;
  color: inherit;
  font: inherit;
  cursor: pointer;
  text-decoration: underline dotted;
  text-underline-offset: 3px;
  &[aria-pressed='true'] {
    color: var(--brass-ink);
    text-decoration: underline 2px;
  }
`
const Over = styled.p`
  border-left: 4px solid var(--brass);
  padding: 4px 12px;
  overflow-wrap: anywhere;
`

/** What happened in a night, in order of time: what was wrong and what came of it, what was changed, what was written, and who took over. */
export function LogScreen(): ReactNode {
  const { values, set } = useAddress()
  const me = useMe()
  const may = useMay('operate')
  const zone = zoneOf(me.zone) as Zone
  const [isHandingOver, setHandingOver] = useState(false)
  const present = useAtNow((now) => morningOf(zone, now))
  if (present === null) return null
  const asked = parseIsoDay(values.morning ?? '')
  const morning: Day = asked ?? present
  const { fromMs, toMs, words } = nightTo(zone, morning)
  const go = (to: Day): void => set({ morning: to === present ? null : isoDay(to) })
  return (
    <Page>
      <Row $wrap>
        <h1>Night log</h1>
        <WatchNav />
        <Spring />
        <Row $gap={6} data-noprint>
          <Button onPress={() => go(morning - 1)}>Night before</Button>
          <DateField
            label="Morning"
            hideLabel
            value={isoDay(morning)}
            onChange={(text) => {
              const to = parseIsoDay(text)
              if (to !== undefined) go(to)
            }}
          />
          <Button
            onPress={() => go(morning + 1)}
            whyNot={morning >= present ? 'That night is still to come.' : undefined}
          >
            Night after
          </Button>
          <Button onPress={() => window.print()}>Print</Button>
          <Button kind="strong" onPress={() => setHandingOver(true)} whyNot={may.why}>
            Hand over
          </Button>
        </Row>
      </Row>
      <Small>
        {words.charAt(0).toUpperCase() + words.slice(1)}, 18:00 to 09:00
        {morning === present && ', as it stands now'}
      </Small>
      <Night key={morning} fromMs={fromMs} toMs={toMs} isPresent={morning === present} />
      {isHandingOver && <HandOverDialog fromMs={fromMs} toMs={toMs} onClose={() => setHandingOver(false)} />}
    </Page>
  )
}

function Night({ fromMs, toMs, isPresent }: { fromMs: number; toMs: number; isPresent: boolean }): ReactNode {
  const [from, to] = [new Date(fromMs).toISOString(), new Date(toMs).toISOString()]
  const { data: log, error } = useQuery({
    queryKey: ['matters', 'log', from],
    queryFn: () => api.get<ShiftLog>(`/shift-log${queryOf({ from, to })}`),
    // Changes of definitions come without a word.
    refetchInterval: isPresent ? 30_000 : false,
  })
  const isOver = useAtNow((now) => now >= toMs)
  const { values, set } = useAddress()
  if (error) return <Trouble error={error} />
  if (!log) return null
  const { failed, late, other, mended } = figuresOf(log)
  const only = LOG_PARTS.find((part) => part === values.only)
  const [open, entries] = [stillOpen(log), only ? partOf(log, only) : entriesOf(log)]
  const part = (name: LogPart, words: string, figure: number): ReactNode => (
    <FactItem name={words}>
      <Figure
        type="button"
        aria-pressed={only === name}
        aria-label={`${words} ${figure}`}
        onClick={() => set({ only: only === name ? null : name }, 'replace')}
      >
        {figure}
      </Figure>
    </FactItem>
  )
  return (
    <>
      {log.handedOver.map((each) => (
        <Over key={each.atMs}>
          <HandedOver handOver={each} />
        </Over>
      ))}
      <Facts>
        {part('failed', 'failed', failed)}
        {part('late', 'late', late)}
        {part('other', 'other matters', other)}
        {part('mended', 'settled', mended)}
        <FactItem name="still open">{open.length}</FactItem>
        {part('changes', 'changes', log.changes.length)}
      </Facts>
      {open.length > 0 && (
        <Panel aria-label="Still open">
          <h2 style={{ padding: '8px 12px 4px' }}>
            {isOver ? 'Open in the morning' : 'Still open'} <Small>{count(open.length, 'matter')}</Small>
          </h2>
          <Entries>
            {open.map((matter) => (
              <MatterLine key={matter.id} matter={matter} />
            ))}
          </Entries>
        </Panel>
      )}
      <Panel aria-label="In order of time">
        {entries.length === 0 ? (
          only ? (
            <Empty title="Nothing of this kind">Press the figure again to see everything.</Empty>
          ) : (
            <Empty title="A quiet night">Nothing failed, nothing was late, nothing was changed.</Empty>
          )
        ) : (
          <Entries>
            {entries.map((entry, i) => (
              <Entry key={i} entry={entry} />
            ))}
          </Entries>
        )}
        {log.isCut && <Small>Of some of it there was more than is shown.</Small>}
      </Panel>
      {isPresent && <AddNote />}
      <Small data-noprint>
        It is mailed each morning by a <Link href="/reports">report</Link> of the kind <i>Night log</i>.
      </Small>
    </>
  )
}
