import { z } from 'zod'

/** What a file trigger looks for: a folder, and a name in which `*` stands for any characters and `?` for one. */
export interface FilePattern {
  readonly folder: string
  readonly name: string
}

const MOST_PATH = 1000
const MOST_NAME = 255

/** An absolute path; only its last part may have `*` and `?`. */
export const filePathSchema = z.string().superRefine((path, context) => {
  const fault = pathFault(path)
  if (fault) context.addIssue({ code: 'custom', message: fault })
})

function pathFault(path: string): string | null {
  const { folder, name } = splitPath(path)
  if (!path.startsWith('/')) return 'Expected an absolute path such as /in/till-*.csv.'
  if (/[\0\n\r]/.test(path)) return 'A path has no line breaks and no NUL.'
  if (path.length > MOST_PATH || name.length > MOST_NAME) return `A path has at most ${MOST_PATH} characters.`
  if (name === '' || name === '.' || name === '..') return 'The path ends with the name of a file.'
  return /[*?]/.test(folder) ? 'Only the name may have “*” and “?”, not the folder.' : null
}

export function splitPath(path: string): FilePattern {
  const at = path.lastIndexOf('/')
  return { folder: path.slice(0, at) || '/', name: path.slice(at + 1) }
}

/** The path of a file in a folder. */
export const joinPath = (folder: string, name: string): string => (folder === '/' ? `/${name}` : `${folder}/${name}`)

/** Whether a file is one of those that a pattern means, by its whole path. */
export function fitsPath(pattern: string, path: string): boolean {
  const [wanted, is] = [splitPath(pattern), splitPath(path)]
  return wanted.folder === is.folder && fitsName(wanted.name, is.name) && !neverCounts(is.name)
}

/** Whether a name is one of a pattern’s. Takes time in proportion to both, whatever they are. */
export function fitsName(pattern: string, name: string): boolean {
  const [p, n] = [[...pattern], [...name]]
  let [i, k] = [0, 0]
  /** The last `*`, and up to where it has taken characters. */
  let [star, taken] = [-1, 0]
  while (k < n.length) {
    if (i < p.length && p[i] === '*') {
      star = i++
      taken = k
    } else if (i < p.length && (p[i] === '?' || p[i] === n[k])) {
      i++
      k++
    } else if (star >= 0) {
      // What the star did not take yet it takes now.
      i = star + 1
      k = ++taken
    } else return false
  }
  while (p[i] === '*') i++
  return i === p.length
}

/** What is still being written, or is hidden: it never counts. */
export const neverCounts = (name: string): boolean => /^\.|\.(part|tmp)$/i.test(name)
