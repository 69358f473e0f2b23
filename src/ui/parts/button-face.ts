import { css } from 'styled-components'

/** How everything looks that is pressed. */
export const face = css<{ $kind: 'plain' | 'strong' | 'danger' | 'quiet' }>`
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 6px;
  min-height: 26px;
  padding: 3px 11px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  color: var(--ink);
  font-weight: 600;
  white-space: nowrap;
  cursor: pointer;
  text-decoration: none;
  &:hover {
    text-decoration: none;
  }
  &[data-hovered],
  &:hover {
    background: var(--shelf);
  }
  &[data-pressed] {
    background: var(--line);
  }
  ${(p) =>
    p.$kind === 'strong' &&
    css`
      background: var(--ink);
      border-color: var(--ink);
      color: var(--sheet);
      &[data-hovered],
      &:hover {
        background: color-mix(in srgb, var(--ink) 88%, var(--sheet));
      }
      &[data-pressed] {
        background: color-mix(in srgb, var(--ink) 75%, var(--sheet));
      }
    `}
  ${(p) =>
    p.$kind === 'danger' &&
    css`
      border-color: var(--failed);
      color: var(--failed);
    `}
  ${(p) =>
    p.$kind === 'quiet' &&
    css`
      border-color: transparent;
      background: transparent;
      min-height: 24px;
      padding: 2px 8px;
    `}
  &[data-disabled],
  &.off,
  &.off:hover {
    color: var(--faint);
    border-color: var(--line);
    background: transparent;
    cursor: not-allowed;
  }
`
