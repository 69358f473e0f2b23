import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NotFound } from '@/ui/frame/apart'

export const metadata: Metadata = { title: 'No such page' }

export default function Missing(): ReactNode {
  return <NotFound />
}
