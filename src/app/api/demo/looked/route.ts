/** What was found on the demo disks when the application was built, with the recipes it was found for. */
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';

export const dynamic = 'force-dynamic';

export async function GET(): Promise<Response> {
  if (process.env.ULLAGER_DEMO !== '1') return Response.json([]);
  try {
    const found = await readFile(join(process.cwd(), '.next', 'demo-looked-at.json'), 'utf8');
    return new Response(found, { headers: { 'content-type': 'application/json' } });
  } catch {
    // Without it the page looks for itself.
    return Response.json([]);
  }
}
