#!/usr/bin/env bash
# The by-hand way of counting what a class kept, with plain git commands: which side each result equals, and
# whether markers are left. $1: folder of submissions; $2: how often to go through it. Prints counts.
set -euo pipefail
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_NOSYSTEM=1
for ((round = 0; round < $2; round++)); do
  for submission in "$1"/*; do
    cd "$submission/work"
    left=$(git show main:press.toml | grep '^limit' || true)
    if git grep -qE '^(<{7}|={7}|>{7})' main --; then
      echo unresolved
    elif [[ $left == $(git show night-shift:press.toml | grep '^limit') ]]; then
      echo theirs
    else
      echo other
    fi
  done
done | sort | uniq -c
