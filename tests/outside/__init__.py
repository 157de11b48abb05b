"""The outside: standards, handbooks, libraries and the tools of the operating system."""

# For a shell script under `set -e` in a mount namespace: /etc is a copy at ROOM/etc. A copy, not a layer
# over it: another test may be making an account on the machine itself, and its locks are not this one's.
# What that useradd holds for a moment (passwd+, passwd.1234, the locks) may vanish while it is copied:
# then it is copied once more.
OF_A_TEST = (
    "of a test of Kavrel"  # what an account is called that a test makes on the machine itself
)
OWN_ETC = """
copied=
for turn in 1 2 3 4 5 6 7 8 9; do
  rm -rf ROOM/etc
  if cp -a /etc ROOM/etc; then copied=yes; break; fi
done
[ "$copied" ]
# Who is there for a test of a server alone is nobody of this machine.
others='s/^\\([^:]*\\):[^:]*:[^:]*:[^:]*:OF_A_TEST:.*/\\1/p'
for one in $(sed -n "$others" ROOM/etc/passwd /etc/passwd | sort -u); do
  sed -i "/^$one:/d" ROOM/etc/passwd ROOM/etc/shadow ROOM/etc/group ROOM/etc/gshadow
done
mount --bind ROOM/etc /etc
rm -f /etc/passwd.lock /etc/shadow.lock /etc/group.lock /etc/gshadow.lock /etc/subuid.lock /etc/subgid.lock
""".replace("OF_A_TEST", OF_A_TEST)
