import type { TriggerDefinition } from '@/core/work/trigger'

/** What every part of a trigger's form is given. */
export interface SectionProps {
  readonly definition: TriggerDefinition
  readonly define: (change: Partial<TriggerDefinition>) => void
  readonly faultOf: (path: string) => string | undefined
}
