#!/usr/bin/env bash
# The by-hand way to grade archives: unpack each, look at it with plain git commands, compare, throw it away.
# $1: the wanted press.toml; $2: a folder to unpack in; further: archives. Prints a line an archive.
set -euo pipefail
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_NOSYSTEM=1
wanted=$1
room=$2
shift 2
for archive in "$@"; do
  mkdir -p "$room"
  tar xzf "$archive" -C "$room"
  cd "$room/press-limit/work"
  points=0
  [[ -z $(git status --porcelain) ]] && [[ ! -e .git/MERGE_HEAD ]] && points=$((points + 1))
  [[ $(git rev-parse --abbrev-ref HEAD) == main ]] && points=$((points + 1))
  [[ $(git log -1 --format=%P main) == *" "* ]] && points=$((points + 1))
  [[ $(git log -1 --format=%s night-shift) == Keep* ]] && points=$((points + 1))
  git grep -qE '^(<{7}|={7}|>{7})' main -- || points=$((points + 1))
  git show main:press.toml | cmp -s - "$wanted" && points=$((points + 1))
  echo "${archive##*/} $points"
  cd /
  rm -rf "$room"
done
