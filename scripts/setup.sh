# Sourced by demo, check and screenshots: installs what is missing. Debian 12's packages only.
packages="g++ cmake ninja-build ccache pkg-config qt6-base-dev libqt6svg6-dev libqpdf-dev libgl-dev libqcustomplot-dev libeigen3-dev
  libsuitesparse-dev libfftw3-dev libsqlite3-dev libsqlitecpp-dev nlohmann-json3-dev libtomlplusplus-dev libcli11-dev libfmt-dev
  libfast-float-dev libmuparser-dev libmuparserx-dev libexpected-dev libxxhash-dev libsndfile1-dev libhdf5-dev libboost-random-dev python3 tidy libpoppler-qt6-dev catch2 libbenchmark-dev xvfb xauth fontconfig locales"

fail() { echo "$(basename "$0"): $1" >&2; exit 1; }

install_missing() {
  local missing="" p
  for p in $packages; do
    dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $p"
  done
  [ -z "$missing" ] && return 0
  local root=""
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || fail "these packages are missing and there is no sudo to install them:$missing"
    root=sudo
  fi
  echo "Installing$missing" >&2
  $root apt-get update -qq >/dev/null || fail "apt-get update failed; is the network there?"
  DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq --no-install-recommends $missing >/dev/null ||
    fail "apt-get could not install$missing"
}

# A locale with a decimal comma, of our own, for tests: nothing may depend on it.
comma_locale() {
  mkdir -p build/locale
  comma=C
  if [ -d build/locale/de_DE.UTF-8 ] || localedef -i de_DE -f UTF-8 build/locale/de_DE.UTF-8; then
    export LOCPATH="$PWD/build/locale"
    comma=de_DE.UTF-8
  else
    echo "A locale with a decimal comma cannot be made here; the tests under it are run without." >&2
  fi
}

build() {  # build PRESET [TARGET...]
  local preset=$1; shift
  mkdir -p build
  cmake --preset "$preset" >"build/$preset.log" 2>&1 || { cat "build/$preset.log" >&2; fail "the build cannot be configured"; }
  cmake --build --preset "$preset" ${1:+--target "$@"} || fail "the build failed"
}
