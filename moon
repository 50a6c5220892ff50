#!/usr/bin/env bash
# Moon Plan's one script. Each command does the set-up it needs, once, and again when a lock file or the sources change.
set -euo pipefail

root=$(cd "$(dirname "$(readlink -f "${BASH_SOURCE[0]}")")" && pwd)
export PYTHONPATH="$root${PYTHONPATH:+:$PYTHONPATH}"
export MOONPLAN_DATA="${MOONPLAN_DATA:-$root/var}"
python="$root/.venv/bin/python"

usage() {
  cat <<'END'
Usage: ./moon COMMAND

  demo [--port N] [--fresh]    the demo household, on this machine; --fresh starts over
  serve [--port N]             your own household
  backup FILE|-                your whole house as one JSON document
  restore FILE|-               read one back, where nobody lives yet
  test                         everything that must pass
  plan FILE|- [--json] [--habit H]
  compare FILE|- [--json]      every habit on the same nights
  chain FILE|- [--json]        what each hook-up delivers, link by link
  rates FILE|- [--json]        the rate of a hook-up from its readings
  prices FILE|- [--json]       the price of every slot
  bench plan [--households N] [--seconds S]
                               times and figures of the planner beside a plain MILP
  bench edits [--households N] what an edit answers with, beside a plan made from nothing
  bench year [--weeks N] [--full]
                               a year of nights lived through, beside plug-and-go and a planner who knew the future
  bench series [--rows N]      a year of prices and of an array's output, and a file of a million rows
  schema                       the household document as JSON Schema
END
}

say() { printf '%s\n' "$*" >&2; }

# once NAME HASH COMMAND...: run COMMAND unless it has been run for this HASH already.
once() {
  local stamp="$root/.venv/.done-$1" hash=$2
  shift 2
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$hash" ] && return 0
  "$@"
  printf '%s' "$hash" >"$stamp"
}

hash_of() { cat "$@" | sha256sum | cut -d' ' -f1; }

install_python() {
  say "Installing the Python packages of requirements/$1.lock ..."
  "$python" -m pip install --quiet --disable-pip-version-check --require-hashes -r "$root/requirements/$1.lock" 2>"$root/.venv/pip.log" ||
    { cat "$root/.venv/pip.log" >&2; return 1; }
}

need_python() {
  [ -x "$python" ] || python3 -m venv "$root/.venv"
  once app "$(hash_of "$root/requirements/app.lock")" install_python app
}

# Of the sources as they are: what was kept of earlier ones stays beside it, and would hide what is missing.
compiled_functions() {
  local kept
  kept=$("$python" -c 'import moonplan.core.compiled; from numba.core import config; print(config.CACHE_DIR)') || return 1
  find "$kept" -name '*.nbi' -printf '%P\n' | sed 's/-[0-9]*\.py[0-9]*\.nbi$//' | LC_ALL=C sort -u
}

compile_planner() {
  say "Compiling the planner ..."
  # Two cars that are not in each other's way, and three that are, for two nights: so that every loop is run.
  (cd "$root" && for cars in two three; do "$python" -m moonplan.cli plan "tests/examples/${cars}_cars.json" --json >/dev/null || return 1; done) &&
    compiled_functions >"$root/.venv/compiled"
}

# What a test compiled would have kept a person waiting at the screen, too: an example of `compile_planner` should come by it.
all_was_compiled() { compiled_functions | diff "$root/.venv/compiled" - >&2; }

# The planner's inner loops are compiled to machine code at their first use; done here, nobody waits for it later.
need_compiled() { once compiled "$(find "$root/moonplan/core" -name '*.py' | LC_ALL=C sort | xargs cat | sha256sum)" compile_planner; }

install_node() {
  say "Installing the front end's packages ..."
  (cd "$root/web" && npm ci --silent --no-audit --no-fund)
}

need_node() { once node "$(hash_of "$root/web/package-lock.json")" install_node; }

build_web() {
  say "Building the front end ..."
  (cd "$root/web" && npm run --silent build -- --logLevel warn)
}

need_web() {
  local sources
  sources=$(cd "$root/web" && find src public index.html vite.config.ts package-lock.json -type f 2>/dev/null | LC_ALL=C sort)
  local hash
  hash=$(cd "$root/web" && hash_of $sources)
  [ -f "$root/web/dist/index.html" ] || rm -f "$root/.venv/.done-web"
  if [ ! -f "$root/.venv/.done-web" ] || [ "$(cat "$root/.venv/.done-web")" != "$hash" ]; then
    need_node
    once web "$hash" build_web
  fi
}

run_server() {
  local port=8321 kind=$1
  shift
  local options=()
  [ "$kind" = demo ] && options+=(--demo) && export MOONPLAN_DATA="$MOONPLAN_DATA/demo"
  while [ $# -gt 0 ]; do
    case "$1" in
      --port) port=${2:?--port needs a number}; shift 2 ;;
      --fresh) [ "$kind" = demo ] || { say "--fresh is for the demo only"; exit 2; }; rm -rf "$MOONPLAN_DATA"; shift ;;
      *) say "moon $kind: no such option: $1"; usage >&2; exit 2 ;;
    esac
  done
  mkdir -p "$MOONPLAN_DATA"
  need_python
  need_compiled
  need_web
  cd "$root"
  "$python" manage.py house "${options[@]}" --address "http://127.0.0.1:$port"
  exec "$python" -m gunicorn moonplan.site.wsgi:application --bind "127.0.0.1:$port" --worker-class gthread \
    --threads 4 --timeout 300 --log-level warning
}

# With the file as it was named from where the person stands.
run_manage() {
  [ $# -eq 2 ] || { usage >&2; exit 2; }
  local file=$2
  [ "$file" = - ] || file=$(realpath -m "$file")
  mkdir -p "$MOONPLAN_DATA"
  need_python
  cd "$root"
  exec "$python" manage.py "$1" "$file"
}

need_chromium() {
  [ -x /usr/bin/chromium ] && return 0
  say "Installing Chromium ..."
  local as_root=()
  [ "$(id -u)" = 0 ] || as_root=(sudo)
  "${as_root[@]}" apt-get update -qq
  DEBIAN_FRONTEND=noninteractive "${as_root[@]}" apt-get install -y -qq chromium >/dev/null
}

step() {
  say ""
  say "== $1"
  shift
  "$@"
}

types_are_fresh() {
  "$python" -m moonplan.api.openapi >"$root/.venv/openapi.json"
  cmp "$root/.venv/openapi.json" web/openapi.json || { say "web/openapi.json is stale: ./moon types"; return 1; }
  (cd web && npx --no-install openapi-typescript "$root/.venv/openapi.json" -o "$root/.venv/schema.d.ts" >/dev/null)
  cmp "$root/.venv/schema.d.ts" web/src/api/schema.d.ts || { say "web/src/api/schema.d.ts is stale: ./moon types"; return 1; }
}

deploy_check() {
  MOONPLAN_SECRET_KEY=$(head -c 60 /dev/urandom | base64 -w0) MOONPLAN_HOSTS=moon.example \
    DJANGO_SETTINGS_MODULE=moonplan.site.settings.production "$python" manage.py check --deploy --fail-level WARNING
}

need_all() {
  need_python
  once dev "$(hash_of "$root/requirements/dev.lock")" install_python dev
  need_compiled
  need_node
  need_web
}

run_tests() {
  need_all
  need_chromium
  cd "$root"
  export MOONPLAN_DATA="$root/var/test"
  local bin="$root/.venv/bin"
  step "ruff" "$bin/ruff" check .
  step "ruff format" "$bin/ruff" format --check .
  step "mypy" "$bin/mypy"
  step "import-linter" "$bin/lint-imports"
  step "migrations" "$python" manage.py makemigrations --check --dry-run
  step "deployment check" deploy_check
  step "generated types" types_are_fresh
  (cd web && step "biome" npx --no-install biome check src && step "tsc" npx --no-install tsc --noEmit && step "vitest" npx --no-install vitest run)
  step "pytest" "$bin/pytest" -n 2 "$@"
  step "nothing is compiled while somebody waits" all_was_compiled
}

make_types() {
  need_all
  cd "$root"
  "$python" -m moonplan.api.openapi >web/openapi.json
  (cd web && npx --no-install openapi-typescript openapi.json -o src/api/schema.d.ts)
}

run_bench() {
  local name=${1:-}
  [ -n "$name" ] && [ -f "$root/tests/bench/$name.py" ] || { say "moon bench: one of: plan, edits, year, series"; exit 2; }
  shift
  need_python
  once dev "$(hash_of "$root/requirements/dev.lock")" install_python dev
  need_compiled
  cd "$root"
  exec "$python" -m "tests.bench.$name" "$@"
}

command=${1:-}
[ $# -gt 0 ] && shift
case "$command" in
  demo | serve) run_server "$command" "$@" ;;
  test) run_tests "$@" ;;
  backup | restore) run_manage "$command" "$@" ;;
  types) make_types ;;
  bench) run_bench "$@" ;;
  plan | compare | chain | rates | prices | schema) need_python && need_compiled && exec "$python" -m moonplan.cli "$command" "$@" ;;
  help | -h | --help) usage ;;
  *) usage >&2; exit 2 ;;
esac
