/** `/opt/tools/night backup` → `night-backup`: lower-case letters, digits and hyphens. */
export function slugOf(text: string): string {
  const slug = text
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60)
    .replace(/-+$/, '')
  return slug === '' ? 'x' : slug
}
