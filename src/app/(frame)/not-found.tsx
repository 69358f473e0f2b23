import type { ReactNode } from 'react'
import { NotFound } from '@/ui/frame/apart'

export default function Missing(): ReactNode {
  return <NotFound isInFrame />
}
