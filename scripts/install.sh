# Installs what is missing; sourced by ./start and ./check, which run from the repository's root.

say() { printf '%s\n' "$*" >&2; }
fail() { say "$@"; exit 1; }

# Debian keeps servers and file-system tools in sbin, which is not on everybody's PATH.
export PATH="$PATH:/usr/sbin:/sbin"

need_node() {
  command -v node >/dev/null 2>&1 || fail "Node.js is not installed. Gentle Tide needs Node.js 20.19 or later."
  node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' ||
    fail "Node.js $(node --version) is too old. Gentle Tide needs 20.19 or later."
}

# need_debian COMMAND:PACKAGE ... installs the packages whose command, or file by its path, is not there.
need_debian() {
  local missing=() pair sudo=()
  for pair in "$@"; do
    command -v "${pair%%:*}" >/dev/null 2>&1 || [ -e "${pair%%:*}" ] || missing+=("${pair#*:}")
  done
  [ "${#missing[@]}" -eq 0 ] && return 0
  command -v apt-get >/dev/null 2>&1 || fail "Please install: ${missing[*]} (this is no Debian, so it can't be done for you)."
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then sudo=(sudo -n)
    elif command -v sudo >/dev/null 2>&1 && [ -t 0 ]; then sudo=(sudo)
    else fail "Please install, as root: apt-get install ${missing[*]}"; fi
  fi
  say "Installing ${missing[*]} …"
  "${sudo[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}" >.local/apt.log 2>&1 ||
    { "${sudo[@]}" apt-get update >>.local/apt.log 2>&1 &&
      "${sudo[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}" >>.local/apt.log 2>&1; } ||
    fail "apt-get could not install ${missing[*]}. Its output is in .local/apt.log."
}

# npm packages exactly as locked, without running what they bring; a second run costs nothing, a run that was cut short is done over.
need_npm() {
  local lock
  lock=$(sha256sum package-lock.json | cut -d' ' -f1)
  [ -d node_modules ] && [ "$(cat node_modules/.gentle-tide-lock 2>/dev/null)" = "$lock" ] && return 0
  say "Installing npm packages …"
  npm ci --ignore-scripts --no-audit --no-fund --loglevel=error >.local/npm.log 2>&1 || fail "npm ci failed. Its output is in .local/npm.log."
  printf '%s' "$lock" >node_modules/.gentle-tide-lock
}
