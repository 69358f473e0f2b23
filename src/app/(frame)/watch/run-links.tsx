import type { ReactNode } from 'react'
import { Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const MOST = 4

/** A few runs by their numbers, and how many more there are. */
export const RunLinks = ({ ids }: { ids: readonly number[] }): ReactNode => (
  <>
    {ids.slice(0, MOST).map((id, i) => (
      <span key={id}>
        {i > 0 && ' '}
        <Link href={`/runs/${id}`}>#{id}</Link>
      </span>
    ))}
    {ids.length > MOST && <Small> and {ids.length - MOST} more</Small>}
  </>
)
