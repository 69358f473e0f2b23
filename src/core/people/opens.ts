/** Where Bugle opens, as a person chooses: parts of the interface, and the page of one's own. */
export const OPENS = ['start', 'watch', 'runs', 'work', 'timing', 'tuning'] as const
export type Opens = (typeof OPENS)[number]
