import { safely } from '@/app/server/endpoint'
import { databaseAnswers } from '@/store/outage'

export const dynamic = 'force-dynamic'

/** For start scripts and load balancers: answers once pages and database do. */
export async function GET(): Promise<Response> {
  const does = await databaseAnswers()
  return safely(new Response(does ? 'ok\n' : 'the database does not answer\n', { status: does ? 200 : 503 }))
}
