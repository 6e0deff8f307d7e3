# Sourced by start.sh and test.sh: brings what the project needs onto this machine.
# As root, Debian packages are installed; anyone else is told which are missing.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
export NEXT_TELEMETRY_DISABLED=1

say() { printf '%s\n' "$*" >&2; }

need_node() {
  command -v node >/dev/null && command -v npm >/dev/null || { say "Node.js 20.15 or newer with npm is needed."; exit 1; }
  node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 15) ? 0 : 1)' ||
    { say "Node.js 20.15 or newer is needed; this is $(node -v)."; exit 1; }
}

# need_debian PACKAGE=FILE ...: FILE (may hold *) is there once PACKAGE is installed.
need_debian() {
  local missing=() pair
  for pair in "$@"; do compgen -G "${pair#*=}" >/dev/null || missing+=("${pair%%=*}"); done
  [ ${#missing[@]} -eq 0 ] && return 0
  if [ "$(id -u)" -ne 0 ]; then
    say "These Debian packages are missing: ${missing[*]}"
    say "Install them once with:  sudo apt-get install --no-install-recommends ${missing[*]}"
    exit 1
  fi
  say "Installing ${missing[*]} ..."
  # Debian would start a database cluster of its own; ours has its own folder and port.
  mkdir -p /etc/postgresql-common
  [ -e /etc/postgresql-common/createcluster.conf ] || echo 'create_main_cluster = false' > /etc/postgresql-common/createcluster.conf
  export DEBIAN_FRONTEND=noninteractive
  apt-get install -y -q --no-install-recommends "${missing[@]}" >/tmp/stemzo-apt.log 2>&1 \
    || { apt-get update -q >>/tmp/stemzo-apt.log 2>&1; apt-get install -y -q --no-install-recommends "${missing[@]}" >>/tmp/stemzo-apt.log 2>&1; } \
    || { say "Installing failed:"; tail -5 /tmp/stemzo-apt.log >&2; exit 1; }
}

# The same for what tests hold us against: where it cannot be installed, the tests that need it say so and are skipped.
want_debian() {
  local pair missing=()
  for pair in "$@"; do compgen -G "${pair#*=}" >/dev/null || missing+=("${pair%%=*}"); done
  [ ${#missing[@]} -eq 0 ] || [ "$(id -u)" -ne 0 ] && return 0
  say "Installing ${missing[*]} ..."
  DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}" >>/tmp/stemzo-apt.log 2>&1 || true
}

# Packages of the lock file, installed anew only when the lock has changed; one installer at a time.
need_packages() {
  local wanted; wanted=$(sha256sum package-lock.json | cut -d' ' -f1)
  exec 9>.install.lock
  flock 9
  if [ "$(cat node_modules/.stemzo-lock 2>/dev/null)" != "$wanted" ]; then
    say "Installing npm packages ..."
    npm ci --no-audit --no-fund --loglevel=error >&2
    printf '%s' "$wanted" > node_modules/.stemzo-lock
  fi
  flock -u 9
  exec 9>&-
}

# What tests hold us against that is written in Python, from PyPI, each kind in a folder of its own. Where pip reaches
# nothing the tests that need it say so and are skipped; the product never needs Python.
need_readers() {
  # Readers and writers of session files.
  need_python sessions pyaaf2==1.7.1 opentimelineio==0.18.1 mido==1.3.3
  # Requests made from a published description.
  need_python requests schemathesis==4.32.5
  # A stand-in for a store of buckets, and what it is served with.
  need_python bucket 'moto[s3]==5.2.5' flask==3.1.3 flask-cors==6.0.2
}

# need_python FOLDER PACKAGE ...
need_python() {
  local folder=".readers/$1"; shift
  [ "$(cat "$folder/what.txt" 2>/dev/null)" = "$*" ] && return 0
  rm -rf "$folder"
  mkdir -p "$folder"
  if ! command -v python3 >/dev/null; then echo 'there is no python3 here' > "$folder/why-not.txt"
  elif ! python3 -m pip --version >/dev/null 2>&1 && ! { [ "$(id -u)" -eq 0 ] && need_debian 'python3-pip=/usr/lib/python3/dist-packages/pip'; }; then
    echo 'there is no pip for python3 here' > "$folder/why-not.txt"
  else
    say "Installing $* for tests ..."
    if python3 -m pip install --quiet --disable-pip-version-check --no-input --root-user-action=ignore --target "$folder" "$@" >"$folder/pip.log" 2>&1
    then printf '%s' "$*" > "$folder/what.txt"
    else { echo "pip could not install $*:"; tail -2 "$folder/pip.log"; } > "$folder/why-not.txt"
    fi
  fi
  [ ! -e "$folder/why-not.txt" ] || say "Tests will be skipped: $(head -c 300 "$folder/why-not.txt")"
}
