#!/usr/bin/env bash
# Puts Saltus into this user's menus: command, desktop file, icons, file types. "install.sh remove" takes it out.
set -euo pipefail
cd "$(dirname "$0")/.."
data=${XDG_DATA_HOME:-$HOME/.local/share}
bin=${XDG_BIN_HOME:-$HOME/.local/bin}
apps=$data/applications; mime=$data/mime; icons=$data/icons/hicolor/scalable
refresh() {
  command -v update-mime-database >/dev/null && [ -d "$mime/packages" ] && update-mime-database "$mime" || true
  command -v update-desktop-database >/dev/null && [ -d "$apps" ] && update-desktop-database -q "$apps" || true
}
if [ "${1:-}" = remove ]; then
  rm -f "$bin/saltus" "$apps/saltus.desktop" "$mime/packages/saltus.xml" "$icons/apps/saltus.svg" \
    "$icons/mimetypes/application-x-saltus-notebook.svg" "$icons/mimetypes/application-x-saltus-pack.svg"
  refresh
  echo "Saltus was taken out of the menus; notebooks and settings were not touched."
  exit 0
fi
mkdir -p "$bin" "$apps" "$mime/packages" "$icons/apps" "$icons/mimetypes"
ln -sf "$PWD/.venv/bin/saltus" "$bin/saltus"
install -m 644 saltus/ui/app/saltus.svg "$icons/apps/saltus.svg"
install -m 644 saltus/ui/app/saltus.svg "$icons/mimetypes/application-x-saltus-notebook.svg"
install -m 644 saltus/ui/app/saltus.svg "$icons/mimetypes/application-x-saltus-pack.svg"
cat > "$apps/saltus.desktop" <<DESKTOP
[Desktop Entry]
Type=Application
Name=Saltus
GenericName=Motion from film
Comment=Measure motion from recorded video
Exec="$PWD/.venv/bin/saltus" %f
Icon=saltus
Terminal=false
Categories=Education;Science;Physics;
MimeType=application/x-saltus-notebook;application/x-saltus-pack;
StartupWMClass=saltus
DESKTOP
cat > "$mime/packages/saltus.xml" <<'MIME'
<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="application/x-saltus-notebook">
    <comment>Saltus notebook</comment>
    <sub-class-of type="application/json"/>
    <glob pattern="*.saltus" weight="60"/>
  </mime-type>
  <mime-type type="application/x-saltus-pack">
    <comment>Saltus pack</comment>
    <sub-class-of type="application/zip"/>
    <glob pattern="*.saltus.zip" weight="70"/>
  </mime-type>
</mime-info>
MIME
refresh
echo "Saltus is in the menus now, and opens *.saltus and *.saltus.zip."
case ":$PATH:" in *":$bin:"*) ;; *) echo "For the command in a terminal add $bin to PATH." ;; esac
