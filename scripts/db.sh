#!/usr/bin/env bash
# The project's own MariaDB: started on loopback with its own data directory, stopped by its own process id.
#   scripts/db.sh start DIR [tests]    starts it if it is not running, and prints lines to eval: GOLDCHIP_DATABASE, GOLDCHIP_DATABASE_PASSWORD.
#                                      Its user may do what it likes in its own database; for tests it may make more of them.
#   scripts/db.sh stop DIR
# DIR/address always holds where it is: whoever was told file:DIR/address finds it again after it was started on another port.
# GOLDCHIP_DB_ARGS are more arguments for the server (tests).
set -euo pipefail
word=${1:?start or stop}
dir=$(realpath -m "${2:?a directory}")
rights='goldchip.*'
if [ "${3:-}" = tests ]; then rights='*.*'; fi
mkdir -p "$dir"
chmod 711 "$dir"
# A short path: sockets have at most 107 characters.
sock_dir="${TMPDIR:-/tmp}/goldchip-$(printf '%s' "$dir" | cksum | cut -d' ' -f1)"
sock="$sock_dir/db.sock"
pid_file="$dir/db.pid"
# A dead process that nobody has buried still has its number.
running() { [ -s "$pid_file" ] && kill -0 "$(cat "$pid_file")" 2>/dev/null && ! grep -q '^State:[[:space:]]*Z' "/proc/$(cat "$pid_file")/status" 2>/dev/null; }
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
answers() { MYSQL_PWD=$password mariadb --no-defaults --socket="$sock" --user=goldchip -e 'SELECT 1' goldchip >/dev/null 2>&1; }
# One that runs may be on its way out, or up: it counts when it answers.
for _ in $(seq 300); do
  if ! running || answers; then break; fi
  sleep 0.1
done
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
    # Its own folder for tables of a moment, here too: a server that starts clears away those of another in the same one.
    mkdir -p "$dir/data" "$dir/tmp"
    [ "$(id -u)" -ne 0 ] || chown mysql "$dir/tmp"
    mariadb-install-db --no-defaults "${user[@]}" --datadir="$dir/data" --tmpdir="$dir/tmp" --auth-root-authentication-method=socket \
      --skip-test-db ${GOLDCHIP_DB_ARGS:-} >"$dir/install.log" 2>&1 || { cat "$dir/install.log" >&2; exit 1; }
  fi
  # Tables for a moment of its own too: a server that starts clears away those of another that shares its folder.
  mkdir -p "$dir/tmp"
  [ "$(id -u)" -ne 0 ] || chown -R mysql "$dir/data" "$dir/tmp" "$sock_dir"
  # A user of this instance only, with rights in its own database only.
  (umask 077 && cat >"$dir/init.sql" <<SQL
CREATE DATABASE IF NOT EXISTS goldchip CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
CREATE OR REPLACE USER goldchip@'%' IDENTIFIED BY '$password';
GRANT ALL ON $rights TO goldchip@'%';
SQL
  )
  [ "$(id -u)" -ne 0 ] || chown mysql "$dir/init.sql"
  started=
  again=yes
  for _ in 1 2 3 4 5; do
    # The same port as before, if nobody has taken it meanwhile.
    if [ -n "$again" ] && [ -s "$dir/port" ]; then port=$(cat "$dir/port"); else port=$(shuf -i 20000-31999 -n 1); fi
    again=
    # 9>&-: the server must not hold the lock.
    setsid mariadbd --no-defaults "${user[@]}" --datadir="$dir/data" --tmpdir="$dir/tmp" --socket="$sock" --pid-file="$sock_dir/own.pid" \
      --bind-address=127.0.0.1 --port="$port" --skip-name-resolve --max-allowed-packet=64M --init-file="$dir/init.sql" \
      --innodb-buffer-pool-size=128M --innodb-flush-log-at-trx-commit=1 --log-error="$dir/db.log" ${GOLDCHIP_DB_ARGS:-} 9>&- >/dev/null 2>&1 </dev/null &
    pid=$!
    echo "$pid" >"$pid_file"
    for _ in $(seq 300); do
      if answers; then
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
# In one go: a reader finds the old line or the new one.
echo "mysql://goldchip@127.0.0.1:$port/goldchip" >"$dir/address.new"
mv "$dir/address.new" "$dir/address"
echo "export GOLDCHIP_DATABASE='mysql://goldchip@127.0.0.1:$port/goldchip'"
echo "export GOLDCHIP_DATABASE_PASSWORD='$password'"
