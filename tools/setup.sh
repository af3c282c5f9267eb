# Sourced by ./keen-compass and ./test: makes .venv from pinned versions and sees to Debian's libraries.
# Usage: . tools/setup.sh; setup run|test
# Everything it does is skipped when its stamp says that it was done for these very files.

root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
venv="$root/.venv"
# -I and -P everywhere: Python must not run what lies in the folder that we are called from. What pip starts by itself
# heeds the variables.
unset PYTHONPATH PYTHONHOME
right_python='import sys; sys.exit(not (3, 11) <= sys.version_info[:2] <= (3, 13))'

offscreen="libegl1 libgl1 libglib2.0-0 libxkbcommon0 libfreetype6 libfontconfig1 libdbus-1-3 libcairo2 fontconfig"
window="libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0"
testing="xvfb hp2xx poppler-utils librsvg2-bin desktop-file-utils appstream"

say() { printf '%s\n' "keen-compass set-up: $*" >&2; }

find_python() {
    local p
    for p in ${PYTHON:+"$PYTHON"} python3.11 python3 python3.12 python3.13; do
        if command -v "$p" >/dev/null && "$p" -I -c "$right_python" 2>/dev/null; then
            echo "$p"
            return 0
        fi
    done
    say "Python 3.11, 3.12 or 3.13 is needed and was not found. On Debian 12: apt-get install python3.11 python3.11-venv"
    return 1
}

missing_packages() {
    local p
    command -v dpkg-query >/dev/null || return 0   # not Debian: the libraries' own messages must do
    for p in "$@"; do
        dpkg-query -W -f='${db:Status-Status}' "$p" 2>/dev/null | grep -qx installed || printf '%s ' "$p"
    done
}

system_packages() {
    local missing
    missing=$(missing_packages "$@")
    [ -z "$missing" ] && return 0
    if [ "$(id -u)" = 0 ]; then
        say "installing $missing"
        # Lists may be missing or old on a fresh machine.
        { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq $missing; } >/dev/null 2>"$venv.apt.log" \
            && { rm -f "$venv.apt.log"; return 0; }
        say "apt-get failed:"; tail -n 5 "$venv.apt.log" >&2; rm -f "$venv.apt.log"
        return 1
    fi
    say "these system packages are missing; please run: sudo apt-get install $missing"
    return 1
}

setup() {
    local kind=$1 python stamp packages extras=""
    packages="$offscreen $window"
    [ "$kind" = test ] && { packages="$packages $testing"; extras="[dev]"; }
    stamp=$(cat "$root/pyproject.toml" "$root/constraints.txt" "$root/tools/setup.sh" | sha256sum | cut -c1-16)
    [ -x "$venv/bin/python" ] && [ -e "$venv/ready-$kind-$stamp" ] && return 0
    python=$(find_python) || return 1
    if [ "$kind" = test ]; then
        system_packages $packages || return 1
    else
        system_packages $packages || say "going on without them; the window may not open"
    fi
    if ! "$venv/bin/python" -I -c "$right_python" 2>/dev/null; then
        rm -rf "$venv"
        if ! "$python" -I -m venv "$venv" >/dev/null 2>&1; then
            rm -rf "$venv"
            system_packages python3-venv && "$python" -I -m venv "$venv" || { say "can't make $venv"; return 1; }
        fi
    fi
    say "installing Python packages into .venv (once; a minute or two)"
    "$venv/bin/python" -I -m pip install --quiet --disable-pip-version-check \
        --constraint "$root/constraints.txt" --editable "$root$extras" >&2 || { say "pip failed"; return 1; }
    : > "$venv/ready-$kind-$stamp"
    [ "$kind" = test ] && : > "$venv/ready-run-$stamp"
    return 0
}
