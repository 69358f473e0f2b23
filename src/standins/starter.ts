interface JobOnOffer {
  readonly id: number
  readonly title: string
  readonly definition: { readonly inputs: { name: string; type: string; options: string[]; default: string | null }[] }
}

/** How often each of these is started by hand, so to speak. It goes when triggers come. */
const OFTEN: Record<string, number> = {
  'Vessel log': 8,
  'Till file': 3,
  Refund: 4,
  'Fuel report': 2,
  'Freight rates refresh': 2,
  'Harbour transfer': 3,
  'Log clean-up': 1,
  'Configuration check': 1,
  Bookings: 1,
  'Name check': 1,
  'Crew rosters': 1,
  'Berth plan': 1,
  'Post to ledger': 1,
  'Reconcile fares': 1,
  'Index care': 0.5,
  'Lab greeting': 1,
  'Gate counts': 2,
  'Camera archive': 1,
  'Booking mirror': 1,
  'Fare cache': 1,
  'Weather grids': 1,
}
const EVERY_MS = 12_000

/** Starts demo jobs through the API as operators would, so that the screens live. Returns how to stop. */
export function startJobs(server: string, tokens: readonly string[], random: () => number): () => void {
  let jobs: JobOnOffer[] = []
  let timer: NodeJS.Timeout | undefined
  let burst = 14
  const ask = async <T>(token: string, path: string, body?: object): Promise<T> => {
    const response = await fetch(`${server}/api/v1${path}`, {
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      ...(body ? { method: 'POST', body: JSON.stringify(body) } : {}),
    })
    if (!response.ok) throw new Error(`${path} answered ${response.status}`)
    return (await response.json()) as T
  }

  const pick = (): JobOnOffer | undefined => {
    const total = jobs.reduce((sum, job) => sum + (OFTEN[job.title] ?? 0), 0)
    let at = random() * total
    return jobs.find((job) => (at -= OFTEN[job.title] ?? 0) < 0)
  }

  const once = async (): Promise<void> => {
    const token = tokens[Math.floor(random() * tokens.length)]
    if (!token) return
    if (jobs.length === 0) {
      const rows = await ask<{ id: number; title: string }[]>(token, '/jobs')
      jobs = await Promise.all(
        rows.filter((row) => OFTEN[row.title]).map((row) => ask<JobOnOffer>(token, `/jobs/${row.id}`)),
      )
    }
    const job = pick()
    if (!job) return
    const inputs = Object.fromEntries(
      job.definition.inputs.map((input) => [
        input.name,
        input.type === 'choice'
          ? (input.options[Math.floor(random() * input.options.length)] ?? '')
          : (input.default ?? ''),
      ]),
    )
    await ask(token, '/runs', { jobId: job.id, inputs })
  }

  const next = (): void => {
    timer = setTimeout(
      () =>
        void once()
          .catch(() => undefined)
          .finally(next),
      // A handful at once in the beginning, so that the first look already finds work going on.
      burst-- > 0 ? 250 : EVERY_MS * (0.4 + random() * 1.2),
    )
  }
  next()
  return () => clearTimeout(timer)
}
