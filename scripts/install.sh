#!/bin/sh
# Installs what is missing of: postgresql chromium poppler qpdf npm gcc. As root with apt; as
# another user through sudo where that asks nothing, and else it says what to do.
set -eu
missing=
for what in "$@"; do
	case $what in
	postgresql) ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 || missing="$missing postgresql-15" ;;
	chromium) command -v chromium-headless-shell >/dev/null 2>&1 || command -v chromium >/dev/null 2>&1 || missing="$missing chromium-headless-shell" ;;
	poppler) command -v pdftoppm >/dev/null 2>&1 || missing="$missing poppler-utils" ;;
	qpdf) command -v qpdf >/dev/null 2>&1 || missing="$missing qpdf" ;;
	npm) command -v npm >/dev/null 2>&1 || missing="$missing nodejs npm" ;;
	gcc) command -v "${CC:-gcc}" >/dev/null 2>&1 && [ -e /usr/include/stdlib.h ] || missing="$missing gcc libc6-dev" ;;
	*) echo "install.sh: what is $what?" >&2; exit 2 ;;
	esac
done
[ -n "$missing" ] || exit 0
as=
if [ "$(id -u)" -ne 0 ]; then
	if command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
		as="sudo -n"
	else
		echo "Missing:$missing" >&2
		echo "Please run as root: apt-get update && apt-get install -y$missing" >&2
		exit 1
	fi
fi
echo "Installing$missing …"
# Debian starts a server of its own after installing; it is not ours and is
# told not to.
policy=/usr/sbin/policy-rc.d
if [ ! -e $policy ]; then
	printf '#!/bin/sh\nexit 101\n' | $as tee $policy >/dev/null
	$as chmod +x $policy
	trap '$as rm -f $policy' EXIT
fi
$as env DEBIAN_FRONTEND=noninteractive apt-get update -qq
# shellcheck disable=SC2086
$as env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
