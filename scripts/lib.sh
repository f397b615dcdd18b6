# What the scripts share: they run from the project's root, and bring in the packages that are missing.

cd "$(dirname "$0")/.."

# The packages that are needed to build, and then what only tests, checks and pictures need.
build_packages="gcc libc6-dev cmake ninja-build pkg-config libfyaml-dev libjansson-dev libssl-dev libedit-dev libsqlite3-dev"
test_packages="$build_packages g++ make libcmocka-dev libpcap-dev gnuplot-nox python3-jsonschema python3-ruamel.yaml nodejs"

# need PACKAGE...: installs what is missing, with sudo where that is needed.
need() {
    missing=""
    for package in "$@"; do
        dpkg-query -W -f '${db:Status-Abbrev}' "$package" 2>/dev/null | grep -q '^ii' || missing="$missing $package"
    done
    [ -n "$missing" ] || return 0
    echo "installing:$missing" >&2
    as_root=""
    [ "$(id -u)" = 0 ] || as_root="sudo"
    $as_root apt-get update -qq >&2
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends $missing >&2
}

# The runtime of the sanitizers and of libFuzzer, whose package is named after the version of clang that there is.
need_clang() {
    need clang
    need "libclang-rt-$(clang -dumpversion | cut -d. -f1)-dev"
}

# quietly COMMAND...: shows what it prints only if it fails.
quietly() {
    log=$(mktemp)
    if "$@" >"$log" 2>&1; then
        rm -f "$log"
    else
        cat "$log" >&2
        rm -f "$log"
        return 1
    fi
}

# build PRESET
build() {
    echo "building ($1)" >&2
    quietly cmake --preset "$1"
    quietly cmake --build --preset "$1"
}
