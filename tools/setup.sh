#!/usr/bin/env bash
# Install what is missing, and only that. Safe to run again: a second run takes a fraction of a second.
set -euo pipefail
cd "$(dirname "$0")/.."

have_postgres() { command -v pg_ctl >/dev/null || compgen -G '/usr/lib/postgresql/*/bin/pg_ctl' >/dev/null; }
have_chromium() { command -v chromium-headless-shell >/dev/null || command -v chromium >/dev/null; }
# The reports are laid out with these; Chromium brings the first two along.
have_library() { ldconfig -p 2>/dev/null | grep -q "$1" || /sbin/ldconfig -p 2>/dev/null | grep -q "$1"; }
# Debian's own Python is built with every optimisation. One that was built on the spot, as version managers do, is often a seventh slower.
usable_python() {
  for python in /usr/bin/python3 python3; do
    if "$python" -c 'import ensurepip, sys, venv; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then echo "$python"; return; fi
  done
  return 1
}

packages=()
usable_python >/dev/null || packages+=(python3 python3-venv)
have_postgres || packages+=(postgresql)
# Tests and tools need pages laid out, and no browser around them.
have_chromium || packages+=(chromium-headless-shell)
have_library libpango-1.0.so.0 || packages+=(libpango-1.0-0)
have_library libpangoft2-1.0.so.0 || packages+=(libpangoft2-1.0-0)
have_library libharfbuzz-subset.so.0 || packages+=(libharfbuzz-subset0)
if [ "${#packages[@]}" -gt 0 ]; then
  line="apt-get update && apt-get install -y --no-install-recommends ${packages[*]}"
  if [ "$(id -u)" = 0 ]; then as_root=(); elif sudo -n true 2>/dev/null; then as_root=(sudo -n); else
    printf 'Some Debian packages are missing. Run this once as root, then try again:\n\n  %s\n\n' "$line" >&2
    exit 1
  fi
  # Debian's package would start a cluster of its own at once; ours is the only one wanted.
  if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
    "${as_root[@]}" mkdir -p /etc/postgresql-common
    echo 'create_main_cluster = false' | "${as_root[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  "${as_root[@]}" apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${packages[@]}" >/dev/null
fi

python=$(usable_python) || { echo "Python 3.11 or newer is needed." >&2; exit 1; }

stamp=$({ cat requirements.lock tools/uv.lock.txt pyproject.toml; "$python" -c 'import sys; print(sys.version, sys.prefix)'; } | sha256sum | cut -d' ' -f1)
if [ ! -f .venv/stamp ] || [ "$(cat .venv/stamp)" != "$stamp" ]; then
  rm -rf .venv
  "$python" -m venv .venv
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r tools/uv.lock.txt
  .venv/bin/uv pip install --quiet --system-certs --compile-bytecode --python .venv/bin/python --require-hashes -r requirements.lock
  .venv/bin/uv pip install --quiet --system-certs --python .venv/bin/python --no-deps --no-build-isolation -e .
  echo "$stamp" > .venv/stamp
fi
# Where the environment forbids Python to keep its bytecode, every start would compile everything anew.
.venv/bin/python -m compileall -q src
