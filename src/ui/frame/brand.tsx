import type { ReactNode } from 'react'

/** A small bugle in one brass line. */
export function BrandMark({ size = 22 }: { size?: number }): ReactNode {
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 24 24"
      aria-hidden="true"
      fill="none"
      stroke="var(--brass)"
      strokeWidth="1.7"
      strokeLinejoin="round"
    >
      <path d="M2 12h9l10-6v12L11 12" />
      <ellipse cx="8.5" cy="12" rx="4.6" ry="3.4" />
      <path d="M2 10.2v3.6" />
    </svg>
  )
}
