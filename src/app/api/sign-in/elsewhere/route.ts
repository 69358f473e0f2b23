import { visitCookie, whoCalls } from '@/app/server/caller'
import { answering } from '@/app/server/endpoint'
import { ownPath } from '@/app/server/safe-path'
import { goElsewhere, TurnedAway } from '@/service/elsewhere/visit'
import { inOrganisation } from '@/store/organisation'
import { isActive } from '@/store/organisations'
import { turnedAway } from './turned-away'

export const dynamic = 'force-dynamic'

/** Sends the browser to a provider, `?with=ORGANISATION.PROVIDER&to=PATH`. */
export function GET(request: Request): Promise<Response> {
  return answering(request, async () => {
    const query = new URL(request.url).searchParams
    const [, organisation = 0, provider = 0] = (/^(\d{1,9})\.(\d{1,15})$/.exec(query.get('with') ?? '') ?? []).map(
      Number,
    )
    try {
      if (!(await isActive(organisation))) throw new TurnedAway('again', 'no such organisation')
      const { url, browser } = await inOrganisation(organisation, () =>
        goElsewhere(provider, ownPath(query.get('to') ?? undefined), whoCalls(request)),
      )
      return new Response(null, {
        status: 302,
        headers: { location: url, 'set-cookie': visitCookie(request, browser) },
      })
    } catch (error) {
      return turnedAway(error)
    }
  })
}
