# Shared by the scripts in bin/: what must be installed, a private MariaDB, and
# the builds. Sourced, not run.
set -euo pipefail

ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
RUN=$ROOT/.run
export PATH=$PATH:/usr/sbin:/sbin # Debian keeps mariadbd there, and a user may not have it
export NPM_CONFIG_UPDATE_NOTIFIER=false NPM_CONFIG_FUND=false NPM_CONFIG_AUDIT=false

say() { printf '%s\n' "$*" >&2; }
die() { say "$(basename "$0"): $*"; exit 1; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else die "needs root or sudo to run: $*"; fi
}

# need_tools stops unless Go and Node are there.
need_tools() {
  command -v go >/dev/null || die "Go is missing; install Go 1.26 or newer"
  command -v npm >/dev/null || die "Node.js with npm is missing; install Node.js 20 or newer"
}

# need_debian PROGRAM PACKAGE installs a Debian package if its program is missing.
need_debian() {
  command -v "$1" >/dev/null && return
  local apt=(apt-get -qq -o Acquire::http::Timeout=20 -o Acquire::https::Timeout=20 -o Acquire::Retries=1)
  say "$2 is missing: waiting for Debian's package server, for the list of packages ..."
  as_root "${apt[@]}" update >/dev/null || die "Debian's package server did not answer; is the network there? Install $2 by hand to go on without it"
  say "installing $2 from Debian's packages ..."
  as_root env DEBIAN_FRONTEND=noninteractive "${apt[@]}" install -y --no-install-recommends "$2" >/dev/null ||
    die "could not install $2"
}

# need_chromium installs Debian's Chromium without windows, which takes a good half of the time of the
# whole browser; where it is not to be had, the whole one.
need_chromium() { (need_debian chromium-headless-shell chromium-headless-shell) || need_debian chromium chromium; }

free_port() { # free_port FIRST: the first free TCP port from there on
  local port=$1
  while (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do port=$((port + 1)); done
  echo "$port"
}

# has_own_net: whether this machine gives a process a network of its own (Linux namespaces).
has_own_net() { command -v unshare >/dev/null && command -v ip >/dev/null && own_net true 2>/dev/null; }

# own_net COMMAND... runs a command on a loopback of its own, so that the addresses and ports of
# tests that run at one time never meet. As root without a user namespace: the database needs
# its account.
own_net() {
  local map=--map-root-user
  if [ "$(id -u)" = 0 ] && unshare --net true 2>/dev/null; then map=; fi
  unshare --net $map sh -c 'ip link set lo up && exec "$@"' own-net "$@"
}

random_word() { head -c 300 /dev/urandom | LC_ALL=C tr -dc 'a-km-z2-9' | cut -c1-"$1"; }

# Who administers our databases: the account of the person who runs this, known by the
# socket's other end. No account without a password is reached over TCP.
DB_ADMIN=$(id -un)

# answers DIR: whether a database runs there.
answers() { [ -S "$1/m.sock" ] && mariadb-admin --no-defaults -u"$DB_ADMIN" --socket="$1/m.sock" ping >/dev/null 2>&1; }

# start_mariadb DIR FIRST_PORT [OPTION...] starts a private server on loopback
# and sets DB_PORT and DB_PID. Its data and its socket stay in DIR, which nobody else may enter.
start_mariadb() {
  local dir=$1 first=$2 user; shift 2
  mkdir -p "$dir/data" "$dir/tmp"
  answers "$dir" && die "a database already runs in $dir; is another one of these running?"
  local as=()
  if [ "$(id -u)" = 0 ]; then
    # As mysql where that user can reach the folder, else as root.
    user=root
    if id mysql >/dev/null 2>&1; then
      chown -R mysql:mysql "$dir"
      if runuser -u mysql -- test -w "$dir/data"; then user=mysql; else chown -R root:root "$dir"; fi
    fi
    as=(--user="$user")
  fi
  chmod 700 "$dir"
  if [ ! -d "$dir/data/mysql" ]; then
    say "making a database ..."
    mariadb-install-db --no-defaults "${as[@]}" --datadir="$dir/data" --tmpdir="$dir/tmp" \
      --auth-root-authentication-method=socket --auth-root-socket-user="$DB_ADMIN" --skip-test-db >"$dir/tmp/install.log" 2>&1 ||
      die "mariadb-install-db failed: see $dir/tmp/install.log"
  fi
  DB_PORT=$(free_port "$first")
  mariadbd --no-defaults "${as[@]}" --datadir="$dir/data" --tmpdir="$dir/tmp" --socket="$dir/m.sock" \
    --pid-file="$dir/m.pid" --bind-address=127.0.0.1 --port="$DB_PORT" --skip-name-resolve --skip-log-bin \
    --character-set-server=utf8mb4 --log-error="$dir/tmp/server.log" "$@" >/dev/null 2>&1 &
  DB_PID=$!
  for _ in $(seq 150); do
    if answers "$dir"; then lock_mariadb "$dir"; return; fi
    kill -0 "$DB_PID" 2>/dev/null || break
    sleep 0.1
  done
  die "MariaDB did not start: see $dir/tmp/server.log"
}

# lock_mariadb DIR takes root's way in over TCP, and without a password, from a database that an
# earlier version made.
lock_mariadb() {
  mariadb --no-defaults -u"$DB_ADMIN" --socket="$1/m.sock" -e "SELECT 1" >/dev/null 2>&1 ||
    mariadb --no-defaults -uroot --socket="$1/m.sock" -e "CREATE USER IF NOT EXISTS '$DB_ADMIN'@localhost IDENTIFIED VIA unix_socket;
      GRANT ALL ON *.* TO '$DB_ADMIN'@localhost WITH GRANT OPTION" || die "the database in $1 lets nobody in"
  sql "$1" "DROP USER IF EXISTS root@127.0.0.1, root@'::1', root@'$HOSTNAME'; ALTER USER IF EXISTS root@localhost IDENTIFIED VIA unix_socket"
}

stop_mariadb() { # stop_mariadb DIR
  mariadb-admin --no-defaults -u"$DB_ADMIN" --socket="$1/m.sock" shutdown >/dev/null 2>&1 || kill "$DB_PID" 2>/dev/null || true
  wait "$DB_PID" 2>/dev/null || true
}

sql() { # sql DIR STATEMENT
  mariadb --no-defaults -u"$DB_ADMIN" --socket="$1/m.sock" -e "$2"
}

# node_modules DIR installs what DIR's lock file says, if it changed.
node_modules() {
  local mark=$1/node_modules/.installed
  if [ -f "$mark" ] && cmp -s "$mark" "$1/package-lock.json"; then return; fi
  say "waiting for the npm registry, for the packages of ${1#"$ROOT"/} ..."
  # A registry may be slow for a moment: what a first try fetched is in npm's cache for the second.
  (cd "$1" && npm ci --silent --fetch-timeout=60000 --fetch-retries=3) ||
    (cd "$1" && npm ci --fetch-timeout=60000 --fetch-retries=3) || die "the npm registry did not give the packages of $1; is the network there?"
  cp "$1/package-lock.json" "$mark"
}

# build_web builds the web application, if its sources changed.
build_web() {
  node_modules "$ROOT/web"
  local sum mark=$RUN/web.sum
  sum=$(cd "$ROOT/web" && find src public index.html package-lock.json vite.config.ts tsconfig.json -type f 2>/dev/null | sort | xargs cat | sha256sum)
  if [ -f "$ROOT/internal/webapp/dist/index.html" ] && [ "$(cat "$mark" 2>/dev/null)" = "$sum" ]; then return; fi
  say "building the web application ..."
  (cd "$ROOT/web" && npx --no-install tsc --noEmit && npx --no-install vite build --logLevel warn) || die "the web application does not build"
  echo "$sum" >"$mark"
}

# go_modules fetches the Go modules that are not there yet.
go_modules() {
  (cd "$ROOT" && GOPROXY=off go list -deps ./cmd/switchback >/dev/null 2>&1) && return
  say "waiting for the Go module proxy, for the modules of switchback ..."
  (cd "$ROOT" && go mod download) || die "the Go module proxy did not give the modules; is the network there?"
}

build_binary() {
  go_modules
  say "building switchback ..."
  (cd "$ROOT" && go build -o "$RUN/switchback" ./cmd/switchback) || die "switchback does not build"
}
