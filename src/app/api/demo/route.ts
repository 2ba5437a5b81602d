/** The demo bench's recipes, when the server was started for it; an empty list otherwise. */
import { parseRecipe } from '@/core/practice';
import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';

export const dynamic = 'force-dynamic';

export async function GET(): Promise<Response> {
  if (process.env.ULLAGER_DEMO !== '1') return Response.json([]);
  const folder = join(process.cwd(), 'demo');
  const names = (await readdir(folder)).filter((name) => name.endsWith('.json')).sort();
  const recipes = await Promise.all(
    names.map(async (name) => parseRecipe(JSON.parse(await readFile(join(folder, name), 'utf8')))),
  );
  return Response.json(recipes);
}
