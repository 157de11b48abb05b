"""The outside: standards, handbooks, libraries and the tools of the operating system."""

# For a shell script under `set -e` in a mount namespace: /etc is a copy at ROOM/etc. A copy, not a layer
# over it: another test may be making an account on the machine itself, and its locks are not this one's.
# What that useradd holds for a moment (passwd+, passwd.1234, the locks) may vanish while it is copied:
# then it is copied once more.
OWN_ETC = """
copied=
for turn in 1 2 3 4 5 6 7 8 9; do
  rm -rf ROOM/etc
  if cp -a /etc ROOM/etc; then copied=yes; break; fi
done
[ "$copied" ]
mount --bind ROOM/etc /etc
rm -f /etc/passwd.lock /etc/shadow.lock /etc/group.lock /etc/gshadow.lock /etc/subuid.lock /etc/subgid.lock
"""
