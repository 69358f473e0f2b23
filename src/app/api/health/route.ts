import { safely } from '@/app/server/endpoint'
import { needsSetup } from '@/service/sign-in'

export const dynamic = 'force-dynamic'

/** For start scripts and load balancers: answers once pages and database do. */
export async function GET(): Promise<Response> {
  try {
    await needsSetup()
    return safely(new Response('ok\n'))
  } catch {
    return safely(new Response('the database does not answer\n', { status: 503 }))
  }
}
