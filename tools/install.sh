#!/usr/bin/env bash
# Installs for this user: the program with an environment of its own (it does not need this checkout any more), `velkin` on the
# path, a desktop entry, the icon, and the file type of shoots. Run again it updates; tools/install.sh --remove takes all of it away,
# and leaves shoots, profiles and the demo where they are.
set -euo pipefail
cd "$(dirname "$0")/.."
data=${XDG_DATA_HOME:-$HOME/.local/share}
program=$data/velkin/program
bin=$HOME/.local/bin
refresh() {
  if command -v update-mime-database >/dev/null; then update-mime-database "$data/mime" >/dev/null 2>&1 || true; fi
  if command -v update-desktop-database >/dev/null; then update-desktop-database "$data/applications" >/dev/null 2>&1 || true; fi
}
if [ "${1:-}" = --remove ]; then
  rm -rf "$program"
  rm -f "$bin/velkin" "$data/applications/velkin.desktop" "$data/icons/hicolor/scalable/apps/velkin.svg" "$data/mime/packages/velkin.xml"
  refresh
  echo "removed: the program, $bin/velkin, desktop entry, icon and file type; kept: everything of yours in $data/velkin"
  exit 0
fi
mkdir -p "$bin" "$data/applications" "$data/icons/hicolor/scalable/apps" "$data/mime/packages" "$data/velkin"
.venv/bin/python -B tools/install_program.py "$program"
ln -sfn "$program/bin/velkin" "$bin/velkin"
cp src/velkin/app/assets/velkin.svg "$data/icons/hicolor/scalable/apps/velkin.svg"
cat > "$data/applications/velkin.desktop" <<EOF2
[Desktop Entry]
Type=Application
Name=Velkin
Comment=Camera profiles, tags and checked hand-off
Exec="$bin/velkin" %f
Icon=velkin
Terminal=false
Categories=Graphics;Photography;
MimeType=application/x-velkin-shoot;
EOF2
cat > "$data/mime/packages/velkin.xml" <<'EOF2'
<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="application/x-velkin-shoot">
    <comment>Velkin shoot</comment>
    <glob pattern="*.velkin"/>
  </mime-type>
</mime-info>
EOF2
refresh
echo "installed: $program, $bin/velkin, desktop entry, icon and file type (make uninstall takes them away again)"
case ":$PATH:" in *":$bin:"*) ;; *) echo "note: $bin is not on your path; log in again, or add it" ;; esac
