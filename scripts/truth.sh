#!/usr/bin/env bash
# Holds what is promised of sound to random sessions and prints the figures. Takes minutes; a share of it is in the tests.
source "$(dirname "${BASH_SOURCE[0]}")/install.sh"
need_node
need_packages
exec node_modules/.bin/tsx tests/truth/report.ts "$@"
