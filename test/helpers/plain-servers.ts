/** Two plain web servers with header rules of their own, as somebody once set them, on a folder of files. */
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect, createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export interface PlainServer {
  readonly at: string;
  end(): Promise<void>;
}

/** How many lines of each config say something of headers, types, redirects or documents. */
export const RULES_WRITTEN = { first: 16, second: 15 };

const FIRST = (site: string, home: string, port: number): string => `
daemon off;
pid ${home}/pid;
error_log ${home}/errors;
events { worker_connections 256; }
http {
  access_log off;
  client_body_temp_path ${home}/a; proxy_temp_path ${home}/b; fastcgi_temp_path ${home}/c;
  uwsgi_temp_path ${home}/d; scgi_temp_path ${home}/e;
  include /etc/nginx/mime.types;
  types { text/javascript mjs; application/manifest+json webmanifest; text/vtt vtt; text/calendar ics; text/markdown md; }
  default_type application/octet-stream;
  server {
    listen 127.0.0.1:${port};
    server_name _;
    root ${site};
    index index.html;
    absolute_redirect on;
    error_page 404 /not-found.html;
    charset utf-8;
    expires 1h;
    location ~* \\.(png|jpe?g|gif|webp|avif|ico)$ { expires 30d; }
    location ~* \\.svg$ { add_header Cache-Control "public, max-age=604800"; expires off; }
    location ~* \\.(css|js|mjs)$ { add_header Cache-Control "no-cache"; expires off; gzip on; gzip_types text/css text/javascript application/javascript; gzip_vary on; }
    location ~* "[.-][0-9a-f]{8}\\.(css|js|woff2)$" { add_header Cache-Control "max-age=31536000, immutable"; expires off; }
    location ~* \\.(woff2?|ttf)$ { expires 1y; add_header Access-Control-Allow-Origin "*"; }
    location ~* \\.html$ { add_header Cache-Control "no-cache, must-revalidate"; expires off; add_header X-Frame-Options "DENY"; }
    location ~* /$ { add_header Cache-Control "no-cache, must-revalidate"; expires off; add_header X-Frame-Options "DENY"; }
    location ~* \\.pdf$ { add_header Content-Disposition "attachment"; expires 1d; }
    location /data/ { add_header Cache-Control "private, max-age=60"; expires off; }
    location /audio/ { expires off; }
    location /drafts/ { return 403; }
    location = /feed { return 301 /feed.atom; }
    location ^~ /aktuell/ { rewrite ^/aktuell/(.*)$ /news/$1 permanent; }
    location = /eintritt { return 302 /visit/; }
  }
}
`;

const SECOND = (site: string, home: string, port: number): string => `
ServerRoot ${home}
PidFile ${home}/pid
ErrorLog ${home}/errors
ServerName 127.0.0.1
Listen 127.0.0.1:${port}
${['mpm_event', 'authz_core', 'dir', 'mime', 'headers', 'expires', 'alias', 'setenvif', 'deflate', 'filter']
  .map((name) => `LoadModule ${name}_module /usr/lib/apache2/modules/mod_${name}.so`)
  .join('\n')}
TypesConfig /etc/mime.types
AddType text/javascript .mjs
AddType application/manifest+json .webmanifest
DocumentRoot ${site}
DirectoryIndex index.html
ErrorDocument 404 /not-found.html
AddDefaultCharset UTF-8
<Directory ${site}>
  Require all granted
  Options -Indexes
</Directory>
ExpiresActive On
ExpiresDefault "access plus 1 hour"
ExpiresByType image/png "access plus 30 days"
ExpiresByType image/webp "access plus 30 days"
ExpiresByType image/jpeg "access plus 30 days"
ExpiresByType text/html "access plus 0 seconds"
ExpiresByType text/css "access plus 10 minutes"
<FilesMatch "[.-][0-9a-f]{8}\\.(js|css|woff2)$">
  ExpiresActive Off
  Header set Cache-Control "public, max-age=31536000, immutable"
</FilesMatch>
<Location /fonts/>
  ExpiresDefault "access plus 1 year"
  Header set Access-Control-Allow-Origin "*"
</Location>
<Location /maps/>
  ExpiresActive Off
</Location>
<Files "*.pdf">
  Header set Content-Disposition "attachment"
  Header set Content-Language "en"
</Files>
<Files "*.html">
  Header set Content-Language "en"
  Header set Referrer-Policy "same-origin"
</Files>
<Location /drafts/>
  Require all denied
</Location>
Redirect permanent /feed /feed.atom
Redirect permanent /aktuell/ /news/
Redirect temp /eintritt /visit/
`;

async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1');
  await once(server, 'listening');
  const { port } = server.address() as AddressInfo;
  server.close();
  await once(server, 'close');
  return port;
}

const answers = (port: number): Promise<boolean> =>
  new Promise((done) => {
    const socket = connect(port, '127.0.0.1', () => {
      socket.destroy();
      done(true);
    });
    socket.on('error', () => done(false));
  });

/** @param which of the two @param site absolute */
export async function startPlainServer(which: 'first' | 'second', site: string): Promise<PlainServer> {
  const home = mkdtempSync(join(tmpdir(), 'fenestra-plain-'));
  const port = await freePort();
  mkdirSync(home, { recursive: true });
  const config = join(home, 'config');
  writeFileSync(config, (which === 'first' ? FIRST : SECOND)(site, home, port));
  const child: ChildProcess =
    which === 'first'
      ? spawn('/usr/sbin/nginx', ['-p', home, '-c', config], { stdio: 'ignore' })
      : spawn('/usr/sbin/apache2', ['-f', config, '-D', 'FOREGROUND'], { stdio: 'ignore' });
  const ended = once(child, 'exit');
  for (let tries = 0; !(await answers(port)); tries++) {
    if (child.exitCode !== null || tries > 200)
      throw new Error(`the plain server did not start: see ${home}`);
    await new Promise((go) => setTimeout(go, 25));
  }
  return {
    at: `http://127.0.0.1:${port}/`,
    async end() {
      child.kill('SIGTERM');
      await ended;
      rmSync(home, { recursive: true, force: true });
    },
  };
}
