#!/bin/sh
# The system libraries that the window and the off-screen renderer need, by Debian package.
# Installs what is missing where that is allowed; otherwise names it and goes on.
needed="libegl1 libgl1 libgl1-mesa-dri libgles2 libgomp1 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0
libxcb-keysyms1 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libdbus-1-3 libfontconfig1 libglib2.0-0 xvfb xdotool"
command -v dpkg-query >/dev/null 2>&1 || { echo "Not a Debian system: make sure EGL, Mesa and the xcb libraries of Qt are installed."; exit 0; }
missing=""
for package in $needed; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "install ok installed" && continue
  dpkg-query -W -f='${Status}' "${package}t64" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then
  run=""
elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
  run="sudo -n"
else
  echo "These system packages are missing and cannot be installed from here. Please run:"
  echo "  sudo apt-get install$missing"
  exit 0
fi
echo "Installing system packages:$missing"
$run apt-get update -qq && DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends $missing >/dev/null || {
  echo "Could not install:$missing"
  echo "The window or the off-screen renderer may not start without them."
}
