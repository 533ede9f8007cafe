#!/usr/bin/env bash
# The by-hand way: look at each repository with plain git commands. $1: folder of submissions; $2: the wanted
# press.toml; $3: the handed-out tip of main; $4: that of night-shift. Prints a line a submission.
set -euo pipefail
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_NOSYSTEM=1
for submission in "$1"/*; do
  cd "$submission/work"
  points=0
  [[ -z $(git status --porcelain) ]] && [[ ! -e .git/MERGE_HEAD ]] && points=$((points + 1))
  [[ $(git rev-parse --abbrev-ref HEAD) == main ]] && points=$((points + 1))
  [[ $(git log -1 --format=%P main) == "$3 $4" ]] && points=$((points + 1))
  [[ $(git rev-parse night-shift) == "$4" ]] && points=$((points + 1))
  git grep -qE '^(<{7}|={7}|>{7})' main -- || points=$((points + 1))
  git show main:press.toml | cmp -s - "$2" && points=$((points + 1))
  echo "${submission##*/} $points"
done
