#!/usr/bin/env bash
# Says what is needed, and installs what is missing from Debian's packages:
# setup.sh run installs what the demo needs, setup.sh test what the tests need too.
set -euo pipefail
want=("postgresql:PostgreSQL server:/usr/lib/postgresql/*/bin/initdb")
if [ "${1:-run}" = test ]; then
	want+=("chromium-headless-shell:Chromium without a window, for the tests of the console:/usr/lib/chromium/chromium-headless-shell" "exim4-daemon-light:exim, for the tests of email:/usr/sbin/exim4" "fonts-dejavu-core:a font for it:/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
fi
for tool in go node npm; do
	command -v "$tool" >/dev/null || { echo "Roundhouse is built with Go 1.26 and Node 20 or newer; $tool is not there. Install it, then run this again." >&2; exit 1; }
done
missing=()
for w in "${want[@]}"; do
	IFS=: read -r package what file <<<"$w"
	if ! compgen -G "$file" >/dev/null; then
		echo "Needed and not there: $what (Debian's package $package)"
		missing+=("$package")
	fi
done
[ ${#missing[@]} -eq 0 ] && exit 0
as=()
if [ "$(id -u)" -ne 0 ]; then
	command -v sudo >/dev/null || { echo "Please ask somebody with the rights to install: ${missing[*]}. Then run this again." >&2; exit 1; }
	as=(sudo)
fi
command -v apt-get >/dev/null || { echo "This machine has no apt-get; please install by hand: ${missing[*]}. Then run this again." >&2; exit 1; }
echo "Installing ${missing[*]} ..."
if [[ " ${missing[*]} " == *" postgresql "* ]]; then
	# The package would else make and start a cluster of its own.
	"${as[@]}" mkdir -p /etc/postgresql-common
	[ -e /etc/postgresql-common/createcluster.conf ] || echo "create_main_cluster = false" | "${as[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
fi
apt=(apt-get -o DPkg::Lock::Timeout=600 -qq)
"${as[@]}" "${apt[@]}" update
"${as[@]}" env DEBIAN_FRONTEND=noninteractive "${apt[@]}" install -y --no-install-recommends "${missing[@]}" >/dev/null
