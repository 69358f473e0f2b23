import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NotFound } from '@/ui/frame/not-found'

export const metadata: Metadata = { title: 'No such page', robots: { index: false } }

/** Every address that no screen has: said within the frame. */
export default function Nowhere(): ReactNode {
  return <NotFound isInFrame />
}
