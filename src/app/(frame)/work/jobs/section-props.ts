import type { JobDefinition } from '@/core/work/job'

/** What every part of a job's form is given. */
export interface SectionProps {
  readonly definition: JobDefinition
  readonly define: (change: Partial<JobDefinition>) => void
  readonly faultOf: (path: string) => string | undefined
}
