#!/usr/bin/env bash
# Puts Keen Compass into the desktop's menu for this user: entry, icon, file type, and a command in ~/.local/bin.
# Usage: tools/install-desktop.sh [--remove]
set -eu
here=$(cd "$(dirname "$(readlink -f "$0")")/.." && pwd)
share=${XDG_DATA_HOME:-$HOME/.local/share}
bin=$HOME/.local/bin
entry=$share/applications/keen-compass.desktop
icon=$share/icons/hicolor/scalable/apps/keen-compass.svg
info=$share/metainfo/keen-compass.metainfo.xml
mime=$share/mime/packages/keen-compass-mime.xml
if [ "${1:-}" = --remove ]; then
    rm -f "$entry" "$icon" "$info" "$mime" "$bin/keen-compass"
else
    mkdir -p "$bin"
    install -Dm644 "$here/data/keen-compass.desktop" "$entry"
    install -Dm644 "$here/src/keen_compass/app/icons/keen-compass.svg" "$icon"
    install -Dm644 "$here/data/keen-compass.metainfo.xml" "$info"
    install -Dm644 "$here/data/keen-compass-mime.xml" "$mime"
    ln -sfn "$here/keen-compass" "$bin/keen-compass"
fi
command -v update-mime-database >/dev/null && update-mime-database "$share/mime" >/dev/null 2>&1 || true
command -v update-desktop-database >/dev/null && update-desktop-database "$share/applications" >/dev/null 2>&1 || true
