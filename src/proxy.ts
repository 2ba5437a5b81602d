/**
 * The content-security policy of every page: scripts of ours only, nothing sent anywhere else. And whom the
 * server answers: whoever asks for this machine by its name here, so that no other site can be made to look like it.
 */
import { NextResponse, type NextRequest } from 'next/server';

/** Names of this machine for itself; others are named when the server is started for them. */
const HOSTS = new Set(['localhost', '127.0.0.1', '[::1]', ...(process.env.ULLAGER_HOSTS?.split(',') ?? [])]);

const hostOf = (request: NextRequest): string => (request.headers.get('host') ?? '').replace(/:\d+$/, '').toLowerCase();

export function proxy(request: NextRequest): NextResponse {
  if (!HOSTS.has(hostOf(request))) return new NextResponse('This name is not served here.', { status: 421 });
  const nonce = btoa(crypto.randomUUID());
  const dev = process.env.NODE_ENV === 'development';
  const policy = [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'${dev ? " 'unsafe-eval'" : ''}`,
    // Ant Design puts its styles into the page as it needs them, and its helpers give some of them no nonce.
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' blob: data:",
    "font-src 'self'",
    "connect-src 'self'",
    "worker-src 'self'",
    "frame-src 'self'",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'none'",
    "frame-ancestors 'none'",
  ].join('; ');
  const headers = new Headers(request.headers);
  headers.set('x-nonce', nonce);
  headers.set('content-security-policy', policy);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set('content-security-policy', policy);
  return response;
}

export const config = { matcher: ['/((?!_next/static|_next/image|sw.js|icon.svg).*)'] };
