"""The server in front: nginx from Debian's packages takes connections, bodies and TLS before a worker hears of them.

A half-sent head or body, or a reader that stalls, costs nginx a few kilobytes and never a thread of ours
(docs/decisions/0018). Its configuration, its pid and its temporary files are ours; Debian's own service is not used.
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
from dataclasses import dataclass
from pathlib import Path

from canaleta.host.debian import installed
from canaleta.host.steps import TroubleError

__all__ = ["Door", "Tls", "nginx"]

MOST_BODY_MB = 20
SLOWEST_S = 10
"""How long a head, a body or a reader may rest."""
CONNECTIONS = 8192


@dataclass(frozen=True)
class Tls:
    """A certificate (with its chain) and its key, PEM files."""

    certificate: Path
    key: Path


@dataclass(frozen=True)
class Door:
    """Where nginx listens, and what stands behind it. listen: HOST:PORT as nginx writes it. run: a folder of this
    start, which the user can enter. user: that the workers run as, None for the caller's own."""

    listen: str
    run: Path
    user: str | None
    tls: Tls | None

    @property
    def socket(self) -> Path:
        """Where the application listens."""
        return self.run / "web.sock"

    def command(self, log: Path) -> list[str]:
        """How to run it in the foreground. Writes its configuration; raises TroubleError if nginx refuses it."""
        program = nginx(log / "debian.log")
        for name in ("body", "proxy", "unused"):
            (self.run / name).mkdir(exist_ok=True)
            if self.user:
                shutil.chown(self.run / name, self.user, self.user)
        file = self.run / "nginx.conf"
        file.write_text(self._configuration(), encoding="utf-8")
        command = [program, "-c", str(file), "-p", str(self.run), "-e", "stderr"]
        tried = subprocess.run([*command, "-t"], capture_output=True, text=True, check=False, cwd="/")
        if tried.returncode:
            says = next((line for line in tried.stderr.splitlines() if "emerg" in line), tried.stderr.strip())
            raise TroubleError(
                f"the web server cannot be started so: {says.partition('] ')[2] or says}",
                "check --host, --port, --tls-cert and --tls-key",
            )
        return command

    def _configuration(self) -> str:
        hard = resource.getrlimit(resource.RLIMIT_NOFILE)[1]
        files = CONNECTIONS * 2 if hard == resource.RLIM_INFINITY else min(hard, CONNECTIONS * 2)
        secure = ""
        if self.tls:
            secure = f"""
    ssl_certificate {_quoted(self.tls.certificate)};
    ssl_certificate_key {_quoted(self.tls.key)};
    ssl_protocols TLSv1.2 TLSv1.3;
    ssl_session_cache shared:tls:2m;
    error_page 497 https://$http_host$request_uri;"""
        return f"""
{f"user {self.user or 'root'};" if os.geteuid() == 0 else ""}
daemon off;
worker_processes 1;
worker_rlimit_nofile {files};
worker_shutdown_timeout 3s;
pid {_quoted(self.run / "nginx.pid")};
error_log stderr warn;
events {{ worker_connections {max(256, files // 2)}; }}
http {{
  access_log off;
  server_tokens off;
  client_body_temp_path {_quoted(self.run / "body")};
  proxy_temp_path {_quoted(self.run / "proxy")};
  fastcgi_temp_path {_quoted(self.run / "unused")};
  uwsgi_temp_path {_quoted(self.run / "unused")};
  scgi_temp_path {_quoted(self.run / "unused")};
  client_header_timeout {SLOWEST_S}s;
  client_body_timeout {SLOWEST_S}s;
  send_timeout {SLOWEST_S}s;
  reset_timedout_connection on;
  keepalive_timeout 30s;
  large_client_header_buffers 4 16k;
  client_max_body_size {MOST_BODY_MB}m;
  # Over a slow line the size of an answer is most of the wait. A stream is no such type: it is handed on as it comes.
  gzip on;
  gzip_comp_level 3;
  gzip_min_length 1400;
  gzip_proxied any;
  gzip_vary on;
  gzip_types application/json application/problem+json text/csv;
  upstream application {{
    # A connection each: one that was kept may belong to a worker that has just ended.
    server unix:{self.socket} max_fails=0;
  }}
  server {{
    listen {self.listen}{" ssl" if self.tls else ""};{secure}
    location / {{
      proxy_pass http://application;
      proxy_http_version 1.1;
      proxy_set_header Host $http_host;
      proxy_set_header X-Forwarded-For $remote_addr;
      proxy_set_header X-Forwarded-Proto $scheme;
      proxy_next_upstream off;
      proxy_read_timeout 120s;
      error_page 502 504 = @away;
      error_page 413 = @large;
    }}
    location @away {{
      internal;
      default_type application/problem+json;
      add_header Retry-After 1 always;
      add_header Cache-Control no-store always;
      return 503 '{{"type":"about:blank","title":"the server does not answer this moment","status":503,"detail":"","remedy":"try again in a moment; what you typed is kept","cells":[]}}';
    }}
    location @large {{
      internal;
      default_type application/problem+json;
      return 413 '{{"type":"about:blank","title":"this is more than {MOST_BODY_MB} MB","status":413,"detail":"nothing was changed","remedy":"send less at once","cells":[]}}';
    }}
  }}
}}
"""


def nginx(log: Path) -> str:
    """The path of nginx, installed first if it is missing; Debian's service of it is not started."""
    return installed("nginx", "nginx", log)


def _quoted(path: Path) -> str:
    escaped = str(path).replace("\\", "\\\\").replace('"', '\\"').replace("$", "${dollar}")
    return f'"{escaped}"'
