/** Text as it stands within a pattern of LIKE: what means something there (PostgreSQL, 9.7.1) is only itself. */
export const likeText = (text: string): string => text.replace(/[\\%_]/g, '\\$&')
