import { act } from '@testing-library/react'
import { useSyncExternalStore } from 'react'

/** next/navigation for tests in jsdom: the address is the window's own. */
const hearers = new Set<() => void>()
// As in the app: whoever writes the address is heard.
for (const how of ['pushState', 'replaceState'] as const) {
  const write = window.history[how].bind(window.history)
  window.history[how] = (...args) => {
    write(...args)
    act(() => hearers.forEach((hear) => hear()))
  }
}
export function go(path: string, how: 'pushState' | 'replaceState' = 'pushState'): void {
  window.history[how](null, '', path)
}
function subscribe(hear: () => void): () => void {
  hearers.add(hear)
  return () => void hearers.delete(hear)
}
const router = {
  push: (path: string) => go(path),
  replace: (path: string) => go(path, 'replaceState'),
  back: () => window.history.back(),
  refresh: () => undefined,
  prefetch: () => undefined,
}

export const useRouter = (): typeof router => router
export const usePathname = (): string => useSyncExternalStore(subscribe, () => window.location.pathname)
export function useSearchParams(): URLSearchParams {
  return new URLSearchParams(useSyncExternalStore(subscribe, () => window.location.search))
}
export const useServerInsertedHTML = (): void => undefined
