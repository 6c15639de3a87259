# What ./start, ./test, ./bench and ./upright share: finding and installing what is missing, building, and a PostgreSQL
# cluster of the project's own. Sourced by bash; every function says in one sentence what went wrong and how to go on.

set -euo pipefail
umask 077
HERE="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
export DOTNET_CLI_TELEMETRY_OPTOUT=1 DOTNET_NOLOGO=1 DOTNET_CLI_USE_MSBUILD_SERVER=0 MSBUILDDISABLENODEREUSE=1
CONFIGURATION=Release

say() { printf '%s\n' "$*"; }
fail() { printf '%s\n' "$*" >&2; exit 1; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null 2>&1; then sudo -n "$@"; else return 1; fi
}

# Installs Debian packages that are missing. $1: what needs them, in words; the rest: packages.
install_packages() {
  local why="$1"; shift
  say "Installing $* ($why)…"
  local log; log="$(mktemp)"
  if ! { as_root apt-get update && as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "$@"; } >"$log" 2>&1; then
    fail "$* could not be installed ($why). Install it by hand with: apt-get install $*   then run this again. The last words were: $(tail -n 1 "$log")"
  fi
  rm -f "$log"
}

need_room() {
  local free; free="$(df -Pm "$HERE" | awk 'NR==2 {print $4}')"
  [ "$free" -ge 1500 ] || fail "The disk that holds $HERE has only $free MB left, and 1500 MB are needed. Free some, then run this again."
}

need_tools() {
  command -v dotnet >/dev/null 2>&1 || fail "The .NET SDK is missing (dotnet is not on the PATH). Install version 10, then run this again."
  command -v node >/dev/null 2>&1 && command -v npm >/dev/null 2>&1 || install_packages "to build the web pages" nodejs npm
  command -v curl >/dev/null 2>&1 || install_packages "to see when the programs answer" curl
}

POSTGRES_BIN=""
need_postgres() {
  local found; found="$(ls -d /usr/lib/postgresql/*/bin/initdb 2>/dev/null | sort -V | tail -n 1 || true)"
  if [ -z "$found" ]; then
    install_packages "the database" postgresql
    found="$(ls -d /usr/lib/postgresql/*/bin/initdb 2>/dev/null | sort -V | tail -n 1 || true)"
  fi
  [ -n "$found" ] || fail "PostgreSQL was installed, but its programs are not where Debian puts them (/usr/lib/postgresql). Install Debian's postgresql package, then run this again."
  POSTGRES_BIN="$(dirname "$found")"
}

# PostgreSQL refuses to run as root: there it runs as the user postgres.
as_postgres() {
  if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi
}

# Where a cluster called $1 lives: under .local, or, where the user postgres can't reach that, under /var/lib.
cluster_home() {
  local wanted="$HERE/.local/$1"
  if [ "$(id -u)" = 0 ]; then
    mkdir -p "$HERE/.local" && chmod 711 "$HERE/.local"
    if ! runuser -u postgres -- test -x "$HERE/.local" 2>/dev/null; then
      local base="/var/lib/upright-mirror"
      mkdir -p "$base" && chmod 711 "$base"
      wanted="$base/$(printf '%s' "$HERE" | sha256sum | cut -c1-12)-$1"
    fi
  fi
  printf '%s' "$wanted"
}

# Makes (once) and starts the cluster $1 on port $2. Sets CLUSTER and PGPASSWORD_VALUE.
start_cluster() {
  local name="$1" port="$2"
  CLUSTER="$(cluster_home "$name")"
  local secret="$HERE/.local/$name.password"
  mkdir -p "$HERE/.local"
  if [ ! -f "$CLUSTER/PG_VERSION" ]; then
    rm -rf "$CLUSTER"; mkdir -p "$CLUSTER"
    head -c 24 /dev/urandom | base64 | tr -dc 'A-Za-z0-9' >"$secret"
    local pass; pass="$(mktemp)"; cp "$secret" "$pass"
    if [ "$(id -u)" = 0 ]; then chown postgres "$CLUSTER" "$pass"; fi
    chmod 700 "$CLUSTER"
    as_postgres "$POSTGRES_BIN/initdb" -D "$CLUSTER" -U upright --auth=scram-sha-256 --pwfile="$pass" --encoding=UTF8 --locale=C.UTF-8 >"$HERE/.local/$name.log" 2>&1 \
      || fail "The database cluster could not be made in $CLUSTER: $(tail -n 1 "$HERE/.local/$name.log")"
    rm -f "$pass"
  fi
  PGPASSWORD_VALUE="$(cat "$secret")"
  # One that is left over from a run that was killed may stand on another port: it is begun again.
  as_postgres "$POSTGRES_BIN/pg_ctl" -D "$CLUSTER" -w -m fast stop >/dev/null 2>&1 || true
  port_free "$port" || fail "Port $port, for the database, is taken by another program. Set UPRIGHT_DATABASE_PORT to a free one and run this again."
  as_postgres "$POSTGRES_BIN/pg_ctl" -D "$CLUSTER" -w -t 60 -l "$CLUSTER/server.log" \
    -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c max_connections=120 ${CLUSTER_OPTIONS:-}" start >/dev/null 2>&1 \
    || fail "The database did not start: $(as_postgres tail -n 1 "$CLUSTER/server.log" 2>/dev/null)"
  STARTED_CLUSTER="$CLUSTER"
}

stop_cluster() {
  [ -z "${STARTED_CLUSTER:-}" ] || as_postgres "$POSTGRES_BIN/pg_ctl" -D "$STARTED_CLUSTER" -w -m fast stop >/dev/null 2>&1 || true
  STARTED_CLUSTER=""
}

# Makes the database $1 on port $2 unless it is there.
need_database() {
  PGPASSWORD="$PGPASSWORD_VALUE" "$POSTGRES_BIN/psql" -h 127.0.0.1 -p "$2" -U upright -d postgres -qtAc "select 1 from pg_database where datname = '$1'" | grep -q 1 \
    || PGPASSWORD="$PGPASSWORD_VALUE" "$POSTGRES_BIN/createdb" -h 127.0.0.1 -p "$2" -U upright "$1"
}

connection_string() { printf 'Host=127.0.0.1;Port=%s;Username=upright;Password=%s;Database=%s' "$2" "$PGPASSWORD_VALUE" "$1"; }

port_free() { ! (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null; }

free_port() { node -e 'const s=require("net").createServer();s.listen(0,"127.0.0.1",()=>{process.stdout.write(String(s.address().port));s.close()})'; }

# True when nothing under the given paths is newer than the stamp $1.
up_to_date() {
  local stamp="$1"; shift
  [ -f "$stamp" ] && [ -z "$(find "$@" -newer "$stamp" -type f -not -path '*/bin/*' -not -path '*/obj/*' -not -path '*/node_modules/*' -not -path '*/dist/*' -not -path '*/wwwroot/*' -not -name packages.lock.json -not -name '*.tsbuildinfo' -print -quit 2>/dev/null)" ]
}

run_logged() {
  local log="$1" what="$2"; shift 2
  "$@" >"$log" 2>&1 || { tail -n 30 "$log" >&2; fail "$what failed; the whole log is $log."; }
}

build_programs() {
  local stamp="$HERE/.local/built-programs"
  mkdir -p "$HERE/.local"
  up_to_date "$stamp" "$HERE/src" "$HERE/Directory.Build.props" "$HERE/Directory.Packages.props" "$HERE/global.json" && return
  say "Building the programs…"
  local begun; begun="$(mktemp)"
  run_logged "$HERE/.local/build.log" "Building the programs" dotnet build "$HERE/ops/Programs.slnf" -c "$CONFIGURATION" --nologo -v minimal
  mv "$begun" "$stamp"
}

# `npm install`, not `npm ci`: the lock file leaves out optional packages of other platforms that a registry does not serve, and
# `ci` takes that for a contradiction. Versions come from the lock file either way.
need_node_modules() {
  local stamp="$HERE/web/node_modules/.installed"
  [ -f "$stamp" ] && [ ! "$HERE/web/package-lock.json" -nt "$stamp" ] && return
  say "Installing the web packages…"
  run_logged "$HERE/.local/npm.log" "Installing the web packages" npm --prefix "$HERE/web" install --no-audit --no-fund --loglevel=error
  touch "$stamp"
}

build_pages() {
  local stamp="$HERE/.local/built-pages"
  up_to_date "$stamp" "$HERE/web" && [ -f "$HERE/src/UprightMirror.Web/wwwroot/index.html" ] && return
  need_node_modules
  say "Building the web pages…"
  local begun; begun="$(mktemp)"
  run_logged "$HERE/.local/pages.log" "Building the web pages" npm --prefix "$HERE/web" run build --silent
  mv "$begun" "$stamp"
}

program() { printf '%s/src/UprightMirror.%s/bin/%s/net10.0/%s.dll' "$HERE" "$1" "$CONFIGURATION" "$2"; }

# Waits until the address $1 answers; $2 is its name, $3 the process, $4 its log.
wait_for() {
  for _ in $(seq 1 240); do
    curl -fsS -o /dev/null --max-time 2 "$1" 2>/dev/null && return
    kill -0 "$3" 2>/dev/null || { tail -n 15 "$4" >&2; fail "$2 ended while it started; its log is $4."; }
    sleep 0.25
  done
  fail "$2 did not answer within a minute; its log is $4."
}
