#!/usr/bin/env bash
# Installs for this user: `velkin` on the path, a desktop entry, the icon, and the file type of shoots.
set -euo pipefail
cd "$(dirname "$0")/.."
data=${XDG_DATA_HOME:-$HOME/.local/share}
mkdir -p "$HOME/.local/bin" "$data/applications" "$data/icons/hicolor/scalable/apps" "$data/mime/packages"
ln -sf "$PWD/.venv/bin/velkin" "$HOME/.local/bin/velkin"
cp src/velkin/app/assets/velkin.svg "$data/icons/hicolor/scalable/apps/velkin.svg"
cat > "$data/applications/velkin.desktop" <<EOF
[Desktop Entry]
Type=Application
Name=Velkin
Comment=Camera profiles, tags and checked hand-off
Exec=$HOME/.local/bin/velkin %f
Icon=velkin
Terminal=false
Categories=Graphics;Photography;
MimeType=application/x-velkin-shoot;
EOF
cat > "$data/mime/packages/velkin.xml" <<'EOF'
<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="application/x-velkin-shoot">
    <comment>Velkin shoot</comment>
    <glob pattern="*.velkin"/>
  </mime-type>
</mime-info>
EOF
if command -v update-mime-database >/dev/null; then update-mime-database "$data/mime" >/dev/null 2>&1 || true; fi
if command -v update-desktop-database >/dev/null; then update-desktop-database "$data/applications" >/dev/null 2>&1 || true; fi
echo "installed: $HOME/.local/bin/velkin, desktop entry, icon and file type"
case ":$PATH:" in *":$HOME/.local/bin:"*) ;; *) echo "note: $HOME/.local/bin is not on your path" ;; esac
