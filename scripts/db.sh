#!/usr/bin/env bash
# The project's own MariaDB: started on loopback with its own data directory, stopped by its own process id.
#   scripts/db.sh start DIR    starts it if it is not running, and prints lines to eval: GOLDCHIP_DATABASE, GOLDCHIP_DATABASE_PASSWORD
#   scripts/db.sh stop DIR
set -euo pipefail
word=${1:?start or stop}
dir=$(realpath -m "${2:?a directory}")
mkdir -p "$dir"
chmod 711 "$dir"
# A short path: sockets have at most 107 characters.
sock_dir="${TMPDIR:-/tmp}/goldchip-$(printf '%s' "$dir" | cksum | cut -d' ' -f1)"
sock="$sock_dir/db.sock"
pid_file="$dir/db.pid"
running() { [ -s "$pid_file" ] && kill -0 "$(cat "$pid_file")" 2>/dev/null; }
exec 9>"$dir/db.lock"
flock 9
if [ "$word" = stop ]; then
  if running; then
    pid=$(cat "$pid_file")
    kill "$pid"
    for _ in $(seq 150); do kill -0 "$pid" 2>/dev/null || break; sleep 0.1; done
  fi
  rm -f "$pid_file"
  exit 0
fi
user=()
if [ "$(id -u)" -eq 0 ]; then user=(--user=mysql); fi
if [ ! -s "$dir/password" ]; then
  (umask 077 && head -c 24 /dev/urandom | base64 | tr -dc 'A-Za-z0-9' >"$dir/password")
fi
password=$(cat "$dir/password")
if ! running; then
  mkdir -p "$sock_dir"
  chmod 711 "$sock_dir"
  # The server's own user must be able to reach the data directory.
  if [ "$(id -u)" -eq 0 ]; then
    parent=$dir
    while [ "$parent" != / ]; do
      su -s /bin/sh mysql -c "test -x '$parent'" 2>/dev/null || chmod o+x "$parent"
      parent=$(dirname "$parent")
    done
  fi
  if [ ! -d "$dir/data/mysql" ]; then
    mkdir -p "$dir/data"
    mariadb-install-db --no-defaults "${user[@]}" --datadir="$dir/data" --auth-root-authentication-method=socket \
      --skip-test-db >"$dir/install.log" 2>&1 || { cat "$dir/install.log" >&2; exit 1; }
  fi
  [ "$(id -u)" -ne 0 ] || chown -R mysql "$dir/data" "$sock_dir"
  # A user for this instance only; tests make their own databases.
  (umask 077 && cat >"$dir/init.sql" <<SQL
CREATE DATABASE IF NOT EXISTS goldchip CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
CREATE OR REPLACE USER goldchip@'%' IDENTIFIED BY '$password';
GRANT ALL ON *.* TO goldchip@'%';
SQL
  )
  [ "$(id -u)" -ne 0 ] || chown mysql "$dir/init.sql"
  started=
  for _ in 1 2 3 4 5; do
    port=$(shuf -i 20000-31999 -n 1)
    # 9>&-: the server must not hold the lock.
    setsid mariadbd --no-defaults "${user[@]}" --datadir="$dir/data" --socket="$sock" --pid-file="$sock_dir/own.pid" \
      --bind-address=127.0.0.1 --port="$port" --skip-name-resolve --max-allowed-packet=64M --init-file="$dir/init.sql" \
      --innodb-buffer-pool-size=128M --innodb-flush-log-at-trx-commit=1 --log-error="$dir/db.log" 9>&- >/dev/null 2>&1 </dev/null &
    pid=$!
    echo "$pid" >"$pid_file"
    for _ in $(seq 300); do
      if MYSQL_PWD=$password mariadb --no-defaults --socket="$sock" --user=goldchip -e 'SELECT 1' goldchip >/dev/null 2>&1; then
        started=yes
        break
      fi
      kill -0 "$pid" 2>/dev/null || break
      sleep 0.1
    done
    [ -z "$started" ] || break
  done
  [ -n "$started" ] || { tail -n 20 "$dir/db.log" >&2; echo "the database did not start; see $dir/db.log" >&2; exit 1; }
  rm -f "$dir/init.sql"
  echo "$port" >"$dir/port"
fi
port=$(cat "$dir/port")
echo "export GOLDCHIP_DATABASE='mysql://goldchip@127.0.0.1:$port/goldchip'"
echo "export GOLDCHIP_DATABASE_PASSWORD='$password'"
