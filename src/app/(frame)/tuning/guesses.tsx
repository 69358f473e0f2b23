'use client'
import { useState, type ReactNode } from 'react'
import type { Night } from '@/service/forecast/nights'
import { Button } from '@/ui/parts/button'
import { Row, Small } from '@/ui/parts/layout'
import { jobTitle } from './words'

/** How much of the forecast stands on too few runs, and which jobs. */
export function Guesses({ night: { guesses, jobs, names } }: { night: Night }): ReactNode {
  const [isOpen, setOpen] = useState(false)
  if (guesses.length === 0) return null
  return (
    <Row $wrap>
      <Small>
        {guesses.length} of {jobs} jobs {guesses.length === 1 ? 'has' : 'have'} run fewer than 8 times:{' '}
        {guesses.length === 1 ? 'its length is a guess' : 'their lengths are guesses'}
        {isOpen && `: ${guesses.map((job) => jobTitle(names, job)).join(', ')}`}.
      </Small>
      <Button kind="quiet" onPress={() => setOpen(!isOpen)} aria-expanded={isOpen}>
        {isOpen ? 'Hide them' : 'Which?'}
      </Button>
    </Row>
  )
}
