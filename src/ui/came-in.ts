/** What is asked for beside the password, before somebody is in. */
export interface MoreAsked {
  readonly ticket: string
  readonly needs: 'show' | 'make'
  readonly hasApp: boolean
  readonly passkey: object | null
}
/** What the server answers to whoever has shown the password, or what stands for it; nothing: they are in. */
export type Came = { readonly more: MoreAsked } | undefined

const KEY = 'bugle-asked-for'

/** Goes to a page of ours; where more is asked for, by way of the sign-in page, which asks it. */
export function goIn(came: Came, to: string): void {
  if (came?.more) window.sessionStorage.setItem(KEY, JSON.stringify(came.more))
  window.location.assign(came?.more ? `/sign-in?to=${encodeURIComponent(to)}` : to)
}

/** What another page has left to be asked for here; it is left once. */
export function leftToAsk(): MoreAsked | null {
  const left = window.sessionStorage.getItem(KEY)
  window.sessionStorage.removeItem(KEY)
  return left === null ? null : (JSON.parse(left) as MoreAsked)
}
