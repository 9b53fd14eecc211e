import type http from 'node:http';

/** What is said where a port cannot be listened on. */
export function portProblem(setting: string, port: number): (error: NodeJS.ErrnoException) => never {
  return (error) => {
    if (error.code === 'EADDRINUSE')
      throw new Error(
        `Port ${port} is taken by another program. Stop that program, or set ${setting} to a free port (0 chooses one).`,
        { cause: error },
      );
    if (error.code === 'EACCES')
      throw new Error(`Port ${port} may not be used by this user. Set ${setting} to a number above 1023.`, {
        cause: error,
      });
    throw error;
  };
}

const LOOPBACK = /^(127(\.\d{1,3}){3}|::1|::ffff:127(\.\d{1,3}){3})$/;
const LOOPBACK_HOST = /^(127(\.\d{1,3}){3}|localhost|\[::1\])(:\d+)?$/;

/** A program on the machine of the service itself, by its own name, and nobody behind a proxy there: nothing goes over a line. */
function isOfThisMachine({ socket, headers }: http.IncomingMessage): boolean {
  const isPassedOn = Object.keys(headers).some(
    (name) => name === 'forwarded' || name.startsWith('x-forwarded'),
  );
  return !isPassedOn && LOOPBACK.test(socket.remoteAddress ?? '') && LOOPBACK_HOST.test(headers.host ?? '');
}

/**
 * With a certificate, pages and calls are at its address; devices and balancers are answered wherever they ask, and so are calls of
 * programs on the same machine, which need not know the authority.
 */
export function redirectPages(serve: http.RequestListener, base: string): http.RequestListener {
  return (request, response) => {
    const { url = '/', headers, method } = request;
    // What a phone looks at before it trusts the certificate.
    const before =
      /^\/(trust$|assets\/|authority\.crt$|api\/certificate$|health$)/.test(url) && method === 'GET';
    const own = url.startsWith('/api/') && isOfThisMachine(request);
    if (url.startsWith('/device/') || before || own) return serve(request, response);
    const host = /^[\w.:[\]-]+$/.test(headers.host ?? '') ? headers.host : 'localhost';
    response.writeHead(308, {
      location: `https://${host}${base}${url.startsWith('/') ? url : '/'}`,
      'content-length': 0,
    });
    response.end();
  };
}
