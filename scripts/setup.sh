# What run and check share: install what is missing, and build the front end when its sources changed.
# Sourced with $root set. Every step is skipped when a stamp says that it was done for the same input.

export PATH="$PATH:/usr/sbin:/usr/local/sbin:/sbin"
unset PYTHONDONTWRITEBYTECODE # compiled anew at each start, the program takes twice as long to begin

fail() {
  echo "$*" >&2
  exit 1
}

quietly() { # run a command, show its output only if it fails
  local log
  log=$(mktemp)
  if ! "$@" >"$log" 2>&1; then
    cat "$log" >&2
    rm -f "$log"
    fail "This failed: $*"
  fi
  rm -f "$log"
}

need() { # need PACKAGE=PROGRAM ...: install the Debian packages whose program (or file) is missing
  local missing=() pair as_root=()
  for pair in "$@"; do
    command -v "${pair#*=}" >/dev/null || [ -e "${pair#*=}" ] || missing+=("${pair%%=*}")
  done
  [ ${#missing[@]} -eq 0 ] && return
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || fail "Install these Debian packages first, then start again: ${missing[*]}"
    as_root=(sudo)
  fi
  echo "Installing ${missing[*]} …"
  quietly "${as_root[@]}" apt-get update
  quietly "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}"
}

python_for_venv() {
  local name
  for name in python3.11 python3 python3.12 python3.13; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      echo "$name"
      return
    fi
  done
  fail "Python 3.11 or newer is needed."
}

python_packages() { # python_packages REQUIREMENTS: a virtual environment with exactly these
  local wanted python
  wanted=$(sha256sum <"$root/$1" | cut -c1-16)
  [ "$(cat "$root/.venv/.stamp-$1" 2>/dev/null)" = "$wanted" ] && return
  python=$(python_for_venv) || exit 1
  "$python" -c 'import ensurepip' 2>/dev/null || need "$(basename "$("$python" -c 'import sys; print(f"python3.{sys.version_info[1]}")')")-venv=no-such-program"
  echo "Installing Python packages …"
  [ -x "$root/.venv/bin/python" ] || quietly "$python" -m venv "$root/.venv"
  quietly "$root/.venv/bin/python" -m pip install --disable-pip-version-check -r "$root/$1"
  echo "$wanted" >"$root/.venv/.stamp-$1"
}

web_packages() {
  local wanted
  command -v npm >/dev/null || need nodejs=node npm=npm
  node -e 'process.exit(process.versions.node.split(".")[0] < 20 ? 1 : 0)' || fail "Node 20 or newer is needed."
  wanted=$(sha256sum <"$root/web/package-lock.json" | cut -c1-16)
  [ "$(cat "$root/web/node_modules/.stamp" 2>/dev/null)" = "$wanted" ] && return
  echo "Installing front end packages …"
  (cd "$root/web" && quietly npm ci --no-audit --no-fund) || exit 1
  echo "$wanted" >"$root/web/node_modules/.stamp"
}

web_build() {
  local wanted
  wanted=$(cd "$root/web" && find src index.html package.json package-lock.json vite.config.ts vite.leaf.config.ts svelte.config.js ../ironmark/publish/fonts.py -type f -print0 |
    sort -z | xargs -0 sha256sum | sha256sum | cut -c1-16)
  [ "$(cat "$root/web/dist/.stamp" 2>/dev/null)" = "$wanted" ] && return
  web_packages
  echo "Building the front end …"
  (cd "$root/web" && quietly npm run build) || exit 1
  PYTHONPATH="$root" quietly "$root/.venv/bin/python" -m ironmark.publish.fonts
  echo "$wanted" >"$root/web/dist/.stamp"
}
