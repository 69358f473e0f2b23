/** Saves a drawing as a file that looks the same anywhere: its variables and fonts are written out. */
export function saveSvg(svg: SVGSVGElement, name: string): void {
  const style = getComputedStyle(document.documentElement)
  const copy = svg.cloneNode(true) as SVGSVGElement
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  copy.setAttribute('style', 'font: 12px sans-serif')
  const text = new XMLSerializer()
    .serializeToString(copy)
    .replace(
      /var\((--[a-z0-9-]+)\)/g,
      (_, variable: string) => style.getPropertyValue(variable).trim() || 'currentColor',
    )
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }))
  link.download = `${name.replace(/[^\p{L}\p{N}]+/gu, '-').toLowerCase()}.svg`
  link.click()
  URL.revokeObjectURL(link.href)
}
