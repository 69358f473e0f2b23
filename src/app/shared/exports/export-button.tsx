'use client'
import type { ReactNode } from 'react'
import { useOnDemand } from '@/ui/hooks/on-demand'
import { Button } from '@/ui/parts/button'
import type { ExportProps } from './export-dialog'

/** The list as it is shown, as a file; what opens comes when it is wanted. */
export function ExportButton(props: ExportProps): ReactNode {
  const [Opened, open] = useOnDemand(() => import('./export-dialog').then((module) => module.ExportPopover))
  if (Opened) return <Opened {...props} />
  return <Button onPress={open}>Export</Button>
}
