#!/bin/sh
# Debian packages Nipper needs: Python with venv, the libraries Qt opens a window with, and Xvfb for machines without a screen.
# Installs what is missing where that is possible; names it where it is not.
set -eu
wanted="python3 python3-venv xvfb libegl1 libgl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libglib2.0-0
libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0
libxcb-xkb1 libx11-xcb1"
command -v dpkg-query >/dev/null 2>&1 || { echo "Not a Debian system: please see that these are there in your system's names: $wanted" >&2; exit 0; }
missing=""
for package in $wanted; do
    case "$(dpkg-query -W -f '${Status}' "$package" 2>/dev/null)" in
        *"ok installed"*) ;;
        *) missing="$missing $package" ;;
    esac
done
# a Python outside Debian (own build, another installer) serves as well
for own in python3 python3-venv; do
    if python3 -c 'import sys, venv, ensurepip; raise SystemExit(sys.version_info < (3, 11))' 2>/dev/null; then
        missing=$(printf '%s' " $missing " | sed "s/ $own / /g")
    fi
done
missing=$(echo $missing)
[ -n "$missing" ] || exit 0
if [ "$(id -u)" = 0 ]; then as_root=""; elif sudo -n true 2>/dev/null; then as_root="sudo"; else
    echo "Missing system packages, please install them:  sudo apt-get install $missing" >&2
    exit 0
fi
echo "Installing system packages: $missing"
$as_root apt-get update -qq
DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends $missing >/dev/null
