#!/usr/bin/env bash
# Makes the virtual environment, installs what is locked, builds the front end, compiles the kernels.
# A second run only looks at stamps.
set -u
cd "$(dirname "$0")/.."
mkdir -p .stamps
log=.stamps/setup.log

fail() {
  echo "jukai: $1" >&2
  exit 2
}

step() { # step WORDS COMMAND...
  local words=$1
  shift
  echo "jukai: $words ..."
  "$@" >"$log" 2>&1 || fail "$words failed: $(grep -v '^[[:space:]]*$' "$log" | tail -n 1 | cut -c1-300) (all of it: $log)"
}

stamp() { cat "$@" 2>/dev/null | sha256sum | cut -d' ' -f1; }
done_before() { [ "$(cat ".stamps/$1" 2>/dev/null)" = "$2" ]; }

python=${PYTHON:-python3}
command -v "$python" >/dev/null || fail "Python 3.11 or newer is missing: install python3 and python3-venv."
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed; $("$python" --version 2>&1) is there."
command -v node >/dev/null || fail "Node 20 or newer is missing: install nodejs."
command -v npm >/dev/null || fail "npm is missing: install it with Node 20 or newer."
[ "$(node -p 'process.versions.node.split(".")[0]')" -ge 20 ] || fail "Node 20 or newer is needed; $(node --version) is there."

want=$(stamp requirements/runtime.txt pyproject.toml)$(pwd | sha256sum | cut -c1-8)
if ! done_before python "$want" || [ ! -x .venv/bin/jukai ]; then
  [ -x .venv/bin/python ] || step "making the virtual environment" "$python" -m venv .venv
  step "installing Python packages" .venv/bin/pip install --disable-pip-version-check --require-hashes -r requirements/runtime.txt
  step "installing jukai" .venv/bin/pip install --disable-pip-version-check --no-deps --no-build-isolation -e .
  echo "$want" >.stamps/python
fi

want=$(stamp frontend/package-lock.json)
if ! done_before node "$want" || [ ! -d frontend/node_modules ]; then
  step "installing front-end packages" npm --prefix frontend ci --ignore-scripts --no-audit --no-fund
  echo "$want" >.stamps/node
fi

want=$(find frontend/src frontend/public frontend/index.html frontend/vite.config.ts -type f | LC_ALL=C sort | xargs cat | sha256sum | cut -d' ' -f1)
if ! done_before front "$want" || [ ! -f src/jukai/web/static/index.html ]; then
  step "building the front end" npm --prefix frontend run build
  echo "$want" >.stamps/front
fi

# what is compiled hangs on the loops themselves: a change elsewhere compiles nothing
want=$(.venv/bin/python scripts/kernels_stamp.py src/jukai/core)$(stamp requirements/runtime.txt)
if ! done_before kernels "$want"; then
  step "compiling the kernels" .venv/bin/python -m jukai.core.warm
  echo "$want" >.stamps/kernels
fi
