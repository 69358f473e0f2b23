import { configure } from '@testing-library/react'
import { webcrypto } from 'node:crypto'

/** What the components use and jsdom does not have. */
globalThis.CSS ??= { escape: (text: string) => text.replace(/[^\w-]/g, (character) => `\\${character}`) } as typeof CSS

class Observer {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
Object.assign(globalThis, {
  ResizeObserver: Observer,
  IntersectionObserver: Observer,
  EventSource: class {
    close(): void {}
  },
})
if (!('randomUUID' in globalThis.crypto)) Object.defineProperty(globalThis, 'crypto', { value: webcrypto })

// A wait ends when what it waits for is there. Its limit is only there to say what was missing: well before the test's own, far above what a busy machine takes.
configure({ asyncUtilTimeout: 40_000 })

// In the browser dialogs come when the first one is opened; here they are there from the beginning.
beforeAll(async () => {
  await (await import('./parts/dialog')).fetchDialogs()
})
