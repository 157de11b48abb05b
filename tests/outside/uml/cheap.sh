#!/bin/sh
# cryptsetup, whose passphrases are cheap to guess; all else as ever.
case " $* " in
*" luksFormat "* | *" luksAddKey "*) exec /usr/sbin/cryptsetup "$@" --pbkdf pbkdf2 --pbkdf-force-iterations 1000 ;;
esac
exec /usr/sbin/cryptsetup "$@"
