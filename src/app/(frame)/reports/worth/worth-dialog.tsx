'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import type { Made, WorthTerm } from '@/core/reports/worth-terms'
import type { WorthRow } from '@/service/reports/worths'
import { api } from '@/ui/api'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { DateField } from '@/ui/parts/date-field'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'

interface Typed {
  readonly since: string
  readonly minutes: string
  readonly rate: string
  readonly runCost: string
}
const typed = ({ since, minutes, rate, runCost }: WorthTerm): Typed => ({
  since: since ?? '',
  minutes: minutes === null ? '' : String(minutes),
  rate: rate === null ? '' : String(rate),
  runCost: runCost === null ? '' : String(runCost),
})
/** What is no number goes to the server as it was typed: it says what is wrong with it. */
const read = (text: string): unknown =>
  text.trim() === '' ? null : Number.isNaN(Number(text.replace(',', '.'))) ? text : Number(text.replace(',', '.'))

const FIRST: Typed = { since: '', minutes: '', rate: '', runCost: '' }

/** What is said of one job, flow or area, from which day on. */
export function WorthDialog({
  row,
  number,
  onClose,
}: {
  row: Pick<WorthRow, 'what' | 'title' | 'terms' | 'made'>
  number: number
  onClose: () => void
}): ReactNode {
  const { why } = useMay('design')
  const client = useQueryClient()
  const [terms, setTerms] = useState<readonly Typed[]>(row.terms.length > 0 ? row.terms.map(typed) : [FIRST])
  const [made, setMade] = useState<Record<keyof Made, string>>({
    hours: row.made ? String(row.made.hours) : '',
    rate: row.made ? String(row.made.rate) : '',
    on: row.made?.on ?? '',
  })
  const { trouble, setTrouble, faultOf } = useTrouble()
  const change = (at: number, part: Partial<Typed>): void =>
    setTerms(terms.map((term, i) => (i === at ? { ...term, ...part } : term)))
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const said = terms
      .filter(({ minutes, rate, runCost }) => `${minutes}${rate}${runCost}`.trim() !== '')
      .map(({ since, minutes, rate, runCost }) => ({
        since: since === '' ? null : since,
        minutes: read(minutes),
        rate: read(rate),
        runCost: read(runCost),
      }))
    const isMade = `${made.hours}${made.rate}${made.on}`.trim() !== ''
    api
      .put(`/worths/${row.what}s/${number}`, {
        terms: said,
        ...(row.what === 'job'
          ? { made: isMade ? { hours: read(made.hours), rate: read(made.rate), on: made.on } : null }
          : {}),
      })
      .then(() => {
        void client.invalidateQueries({ queryKey: ['worths'] })
        onClose()
      }, setTrouble)
  }
  return (
    <Dialog title={`What ${row.title} spares`} isOpen onClose={onClose} width={600}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          {terms.map((term, i) => (
            <Row key={i} $top $gap={10}>
              <DateField
                label="From (empty: always)"
                value={term.since}
                onChange={(since) => change(i, { since })}
                error={faultOf(`terms[${i}].since`)}
                width="150px"
              />
              <TextField
                label="Minutes by hand"
                value={term.minutes}
                onChange={(minutes) => change(i, { minutes })}
                error={faultOf(`terms[${i}].minutes`)}
                width="110px"
              />
              <TextField
                label="Rate an hour"
                value={term.rate}
                onChange={(rate) => change(i, { rate })}
                error={faultOf(`terms[${i}].rate`)}
                width="110px"
              />
              <TextField
                label="Cost of a run"
                value={term.runCost}
                onChange={(runCost) => change(i, { runCost })}
                error={faultOf(`terms[${i}].runCost`)}
                width="110px"
              />
            </Row>
          ))}
          {faultOf('terms') && <Small>{faultOf('terms')}</Small>}
          <Row>
            <Button onPress={() => setTerms([...terms, FIRST])}>From another day on</Button>
          </Row>
          {row.what === 'job' && (
            <>
              <h3>What it took to make</h3>
              <Row $top $gap={10}>
                <TextField
                  label="Hours"
                  value={made.hours}
                  onChange={(hours) => setMade({ ...made, hours })}
                  error={faultOf('made.hours')}
                  width="110px"
                />
                <TextField
                  label="at, an hour"
                  value={made.rate}
                  onChange={(rate) => setMade({ ...made, rate })}
                  error={faultOf('made.rate')}
                  width="110px"
                />
                <DateField
                  label="Made on"
                  value={made.on}
                  onChange={(on) => setMade({ ...made, on })}
                  error={faultOf('made.on')}
                  width="150px"
                />
              </Row>
            </>
          )}
          <Small>
            {row.what === 'area'
              ? 'It holds for jobs in this area, and in areas within it, that say nothing of their own. Flows count by what is said of them alone.'
              : 'Saved = succeeded runs × minutes ÷ 60 × rate − runs × cost. A flow with minutes of its own counts instead of its steps.'}
          </Small>
          {why ? <Small>{why}</Small> : <DialogButtons onClose={onClose}>Save</DialogButtons>}
        </Stack>
      </form>
    </Dialog>
  )
}
