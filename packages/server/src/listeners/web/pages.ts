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

/** With a certificate, pages are at its address; devices and balancers are answered wherever they ask. */
export function redirectPages(serve: http.RequestListener, base: string): http.RequestListener {
  return (request, response) => {
    const { url = '/', headers, method } = request;
    // What a phone looks at before it trusts the certificate.
    const before =
      /^\/(trust$|assets\/|authority\.crt$|api\/certificate$|health$)/.test(url) && method === 'GET';
    if (url.startsWith('/device/') || before) return serve(request, response);
    const host = /^[\w.:[\]-]+$/.test(headers.host ?? '') ? headers.host : 'localhost';
    response.writeHead(308, {
      location: `https://${host}${base}${url.startsWith('/') ? url : '/'}`,
      'content-length': 0,
    });
    response.end();
  };
}
