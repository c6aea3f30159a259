# Sets up everything that Nebbet needs; sourced by scripts/demo and scripts/test, from the project's
# folder. Does nothing, and asks no network, when everything is there.

packages="libegl1 libgl1 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 libx11-xcb1
libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-image0 libxcb-render-util0 libxcb-shape0
libxcb-xkb1 libxcb-randr0 libxcb-xinerama0
libnss3 libasound2 libxcomposite1 libxdamage1 libxrandr2 libxtst6 libxkbfile1
libenchant-2-2 hunspell-en-gb hunspell-fr hunspell-de-de hunspell-no"

fail() {
    printf 'nebbet: %s\n' "$1" >&2
    exit 1
}

find_python() {
    for python in python3.11 python3 python3.12 python3.13; do
        if command -v "$python" >/dev/null &&
            "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
            return
        fi
    done
    fail "Python 3.11 or newer is missing. Install it with: apt-get install python3 python3-venv"
}

missing_packages() {
    command -v dpkg-query >/dev/null || return 0  # not Debian: whoever installed Qt knows best
    installed=$(dpkg-query -W -f '${Package} ${Status}\n' 2>/dev/null |
        sed -n 's/ install ok installed$//p')
    wanted=$packages
    if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
        wanted="python3-venv $wanted"
    fi
    for package in $wanted; do
        printf '%s\n' "$installed" | grep -qx "$package" || printf '%s ' "$package"
    done
}

install_packages() {
    missing=$(missing_packages)
    [ -n "$missing" ] || return 0
    if [ "$(id -u)" = 0 ]; then
        as_root=""
    elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
        as_root="sudo"
    else
        fail "some Debian packages are missing. Install them with this command, then start again:
sudo apt-get install -y --no-install-recommends $missing"
    fi
    echo "Installing Debian packages: $missing"
    $as_root apt-get update -qq || fail "the list of Debian packages could not be fetched"
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends \
        $missing >/dev/null || fail "the Debian packages could not be installed"
}

make_venv() {
    stamp=.venv/installed
    wanted=$(cat requirements.lock pyproject.toml | sha256sum)
    [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && return 0
    echo "Setting up Nebbet in .venv"
    [ -x .venv/bin/python ] || "$python" -m venv .venv || fail "the folder .venv could not be made"
    .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes \
        -r requirements.lock &&
        .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps \
            --no-build-isolation -e . ||
        fail "the Python packages could not be installed; is there a network?"
    printf '%s\n' "$wanted" >"$stamp"
}

find_python
install_packages
make_venv
