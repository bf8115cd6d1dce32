# Sourced by ./dogana: each function installs one kind of thing, only if it is missing or out of date.

say() { printf '  %s\n' "$*" >&2; }

fail() {
  printf 'dogana: %s\n' "$*" >&2
  exit 69
}

as_root() {
  if [ "$(id -u)" -eq 0 ]; then "$@"; elif command -v sudo >/dev/null; then sudo "$@"; else
    fail "installing packages needs root or sudo: $*"
  fi
}

# Run a long step quietly, saying how long it has taken; its output is shown when it fails.
step() {
  local what=$1 log began=$SECONDS
  shift
  log=$(mktemp)
  printf '  %s ' "$what" >&2
  "$@" >"$log" 2>&1 &
  local child=$!
  trap 'kill $child 2>/dev/null; exit 130' INT TERM
  while kill -0 "$child" 2>/dev/null; do
    sleep 1
    printf '.' >&2
  done
  trap - INT TERM
  if ! wait "$child"; then
    printf '\n' >&2
    tail -n 40 "$log" >&2
    rm -f "$log"
    fail "$what did not work"
  fi
  rm -f "$log"
  printf ' %s s\n' "$((SECONDS - began))" >&2
}

# need_debian PACKAGE:PATH ... installs the packages whose path is missing.
need_debian() {
  local missing=() pair
  for pair in "$@"; do
    [ -e "${pair#*:}" ] || missing+=("${pair%%:*}")
  done
  [ ${#missing[@]} -eq 0 ] && return
  command -v apt-get >/dev/null || fail "install ${missing[*]} first; there is no apt-get here"
  # Our cluster is our own: Debian's need not be made and started beside it.
  if [[ " ${missing[*]} " == *" postgresql "* ]] && [ ! -e /etc/postgresql-common/createcluster.conf ]; then
    as_root mkdir -p /etc/postgresql-common
    echo "create_main_cluster = false" | as_root tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  step "reading Debian's package lists" as_root apt-get update -qq
  step "installing ${missing[*]}" as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq \
    --no-install-recommends -o Dpkg::Options::=--force-confold "${missing[@]}"
}

find_python() {
  local candidate
  for candidate in python3.11 python3 python3.12 python3.13; do
    if command -v "$candidate" >/dev/null &&
      "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$candidate"
      return
    fi
  done
  fail "Python 3.11 or newer is needed"
}

need_python() {
  local stamp=.venv/dogana-lock wanted python
  wanted=$(cat requirements.lock pyproject.toml | sha256sum)
  [ -e "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && [ -x .venv/bin/python ] && return
  python=$(find_python)
  if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
    need_debian python3-venv:/nonexistent
  fi
  [ -x .venv/bin/python ] || step "making a virtual environment" "$python" -m venv .venv
  # The lock names every package, so nothing is resolved anew: some versions of pip refuse a hashed lock as
  # soon as one of its packages asks for an extra of another ("pydantic[email]"). What is lacking, the check says.
  step "installing Python packages" .venv/bin/python -m pip install --quiet --disable-pip-version-check \
    --no-deps --require-hashes -r requirements.lock
  step "installing dogana" .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps \
    --no-build-isolation -e .
  step "checking that they fit together" .venv/bin/python -m pip check --disable-pip-version-check
  printf '%s' "$wanted" >"$stamp"
}

need_front_end() {
  local stamp=web/build/.made-from wanted modules=web/node_modules/.dogana-lock
  command -v npm >/dev/null || fail "Node 20 with npm is needed"
  if [ ! -e "$modules" ] || ! cmp -s "$modules" web/package-lock.json; then
    step "installing node modules" npm --prefix web ci --no-audit --no-fund --loglevel=error
    cp web/package-lock.json "$modules"
  fi
  wanted=$(find web/src web/static web/*.json web/*.js web/*.ts docs/openapi.json -type f \
    ! -name schema.d.ts -print0 2>/dev/null | sort -z | xargs -0 sha256sum | sha256sum)
  [ -e "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && return
  step "generating the typed client" npm --prefix web run generate
  step "building the front end" npm --prefix web run build
  printf '%s' "$wanted" >"$stamp"
}

# make_wheels FOLDER: the server's wheel with the front end inside, and the client's for pipelines.
make_wheels() {
  local into part
  into=$(mkdir -p "$1" && cd "$1" && pwd)
  for part in . client; do
    # What an earlier build left there would go in as well.
    rm -rf "$part/build"
    step "building the wheel of $part" .venv/bin/python -m pip wheel --quiet --disable-pip-version-check --no-deps \
      --no-build-isolation --wheel-dir "$into" "./$part"
    rm -rf "$part/build"
  done
  ls "$into"/*.whl
}
