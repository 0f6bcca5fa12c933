# Sourced by run-demo and run-tests: the packages of Debian 12 they need, and how to get them.

build_packages=(
  cmake g++ ninja-build pkg-config
  libastcenc-dev libcli11-dev libdraco-dev libeigen3-dev libexpected-dev libfmt-dev libnanoflann-dev libopenexr-dev libpugixml-dev libqhull-dev libsimdjson-dev libspng-dev libtbb-dev
  libepoxy-dev libegl1 libopengl0 libegl-mesa0 libgl1-mesa-dri libfreetype-dev fonts-dejavu-core libjs-chart.js
  libtomlplusplus-dev libturbojpeg0-dev libwebp-dev libxxhash-dev libzstd-dev rapidjson-dev
)
test_packages=(chromium libbenchmark-dev libgtest-dev libstb-dev)

say() { printf '\n== %s\n' "$*"; }

as_root() {
  if [ "$(id -u)" -eq 0 ]; then
    "$@"
  elif command -v sudo >/dev/null; then
    sudo "$@"
  else
    echo "this needs root or sudo to install packages: $*" >&2
    exit 1
  fi
}

install_packages() {
  local missing=() package
  for package in "$@"; do
    # dpkg's database does not hold the virtual name that pkg-config has become in some releases.
    [ "$package" = pkg-config ] && command -v pkg-config >/dev/null && continue
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' ||
      missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  say "installing: ${missing[*]}"
  as_root apt-get update -qq
  as_root env DEBIAN_FRONTEND=noninteractive \
    apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# Node.js may be there from elsewhere; only then is npm not Debian's.
install_node() {
  if ! command -v npm >/dev/null; then
    install_packages nodejs npm
  fi
}
