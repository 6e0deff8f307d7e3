#!/usr/bin/env bash
# Tries at random what is promised of keeping, of hostile bytes and of not hanging. Takes an hour and a half as a whole; a share of it is in the tests.
source "$(dirname "${BASH_SOURCE[0]}")/install.sh"
need_node
need_debian 'postgresql=/usr/lib/postgresql/*/bin/initdb' 'ffmpeg=/usr/bin/ffmpeg' 'iproute2=/usr/sbin/ip'
need_packages
need_readers
exec node_modules/.bin/tsx tests/trust/report.ts "$@"
