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

// Whole screens in jsdom take seconds on a busy machine.
jest.setTimeout(30_000)
