# Everything ./start, ./test and ./bench install. Sourced, never run by itself.
# Each need_* function does nothing when what it stands for is already in place.
set -euo pipefail

ROOT="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
VENV="$ROOT/.venv"
# without compiled bytecode every process would compile all its packages anew, for seconds
unset PYTHONDONTWRITEBYTECODE

say() { printf '%s\n' "$*" >&2; }
give_up() { say "low hiss: $*"; exit 1; }

# run a slow step with its output in a log file, a dot every two seconds, and its tail if it fails
slowly() {
  local what="$1" log rc=0; shift
  log="$(mktemp)"
  printf '%s ' "$what" >&2
  "$@" >"$log" 2>&1 &
  local pid=$!
  while kill -0 "$pid" 2>/dev/null; do printf '.' >&2; sleep 2; done
  wait "$pid" || rc=$?
  if [ "$rc" -ne 0 ]; then
    say " failed"; tail -n 25 "$log" >&2; rm -f "$log"
    return "$rc"
  fi
  rm -f "$log"; say " done"
}

as_root() {
  if [ "$(id -u)" -eq 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else give_up "installing Debian packages needs root: run this as root or install sudo."; fi
}

# need_room MB: so much must be free where this lies
need_room() {
  local free; free="$(df --output=avail -m "$ROOT" | tail -n 1 | tr -d ' ')"
  [ "$free" -ge "$1" ] || give_up "the disk has $free MB free and this needs $1: free some space, then start again."
}

# need_debian COMMAND PACKAGE: install PACKAGE unless COMMAND is there
need_debian() {
  local command="$1" package="$2"
  if command -v "$command" >/dev/null || [ -x "/usr/sbin/$command" ]; then return 0; fi
  command -v apt-get >/dev/null || give_up "'$command' is missing and there is no apt-get to install it: install the package '$package' by hand, then start again."
  if [ -z "${APT_UPDATED:-}" ]; then
    slowly "Refreshing Debian's package lists" as_root apt-get update || give_up "Debian's package lists could not be read: check the connection, then start again."
    APT_UPDATED=1
  fi
  slowly "Installing $package" as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "$package" \
    || give_up "the Debian package '$package' could not be installed; the lines above say why."
}

# need_library FILE PACKAGE...: install the packages unless the shared library is there
need_library() {
  local file="$1"; shift
  if ldconfig -p 2>/dev/null | grep -q "$file" || /sbin/ldconfig -p 2>/dev/null | grep -q "$file"; then return 0; fi
  for package in "$@"; do need_debian "no-command-of-$package" "$package"; done
}

# what papers (PDF) are drawn with
need_papers() { need_library libpangoft2-1.0.so.0 libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0; }

# what files from outside are read in
need_sandbox() { need_debian bwrap bubblewrap; need_library libseccomp.so.2 libseccomp2; }

need_interpreters() {
  command -v python3 >/dev/null || need_debian python3 python3
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || give_up "Python 3.11 or newer is needed; 'python3' here is $(python3 --version 2>&1)."
  command -v node >/dev/null || give_up "Node.js 20 or newer is needed and 'node' was not found: install it, then start again."
  node -e 'process.exit(Number(process.versions.node.split(".")[0]) < 20 ? 1 : 0)' || give_up "Node.js 20 or newer is needed; 'node' here is $(node --version)."
  command -v npm >/dev/null || give_up "npm was not found: install it beside Node.js, then start again."
}

digest() { cat "$@" | sha256sum | cut -c1-64; }

# need_python requirements.txt: the virtual environment with exactly the pinned packages
need_python() {
  local requirements="$ROOT/$1" stamp="$VENV/.stamp-$1" want
  want="$(digest "$ROOT/requirements.txt" "$requirements" "$ROOT/pyproject.toml")"
  if [ -x "$VENV/bin/lowhiss" ] && [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ]; then return 0; fi
  if [ ! -x "$VENV/bin/python" ]; then
    python3 -c 'import ensurepip' 2>/dev/null || need_debian python3-venv-is-missing python3-venv
    python3 -m venv "$VENV" || give_up "the Python environment '$VENV' could not be made; the lines above say why."
  fi
  [ -x "$VENV/bin/uv" ] || slowly "Fetching the Python package installer" "$VENV/bin/python" -m pip install -q uv
  slowly "Installing Python packages" "$VENV/bin/uv" pip install --python "$VENV/bin/python" --compile-bytecode --require-hashes -r "$requirements" \
    || give_up "the Python packages could not be installed: check the connection, then start again. The lines above say why."
  slowly "Linking Low Hiss itself" "$VENV/bin/uv" pip install --python "$VENV/bin/python" --no-deps --no-build-isolation -e "$ROOT" \
    || give_up "Low Hiss could not be installed into '$VENV'; the lines above say why."
  printf '%s' "$want" >"$stamp"
}

need_web_packages() {
  local stamp="$ROOT/web/node_modules/.stamp-lock" want
  want="$(digest "$ROOT/web/package-lock.json")"
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ]; then return 0; fi
  slowly "Installing front-end packages" npm --prefix "$ROOT/web" ci --no-fund --no-audit \
    || give_up "the front-end packages could not be installed: check the connection, then start again. The lines above say why."
  printf '%s' "$want" >"$stamp"
}

# need_web_build: lowhiss/static, the built front end and the face of papers, made from the sources as they are now
need_web_build() {
  local static="$ROOT/lowhiss/static" want
  local stamp="$static/.stamp-sources"
  want="$(cd "$ROOT/web" && find src public index.html package-lock.json vite.config.ts firstLoads.ts notices.ts tsconfig.json ../lowhiss/core ../lowhiss/rulebook ../lowhiss/engine -type f -not -name '*.pyc' -print0 | LC_ALL=C sort -z | xargs -0 sha256sum | sha256sum | cut -c1-64)"
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ]; then return 0; fi
  need_web_packages
  slowly "Building the front end" npm --prefix "$ROOT/web" run build \
    || give_up "the front end could not be built; the lines above say why."
  mkdir -p "$static/fonts"
  cp "$ROOT"/web/node_modules/@fontsource-variable/archivo/files/archivo-latin-standard-normal.* "$static/fonts/"
  printf '%s' "$want" >"$stamp"
}
