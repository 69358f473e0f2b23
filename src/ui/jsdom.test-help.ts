/** What the components use and jsdom does not have. */
globalThis.CSS ??= { escape: (text: string) => text.replace(/[^\w-]/g, (character) => `\\${character}`) } as typeof CSS
