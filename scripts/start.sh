#!/usr/bin/env bash
# Starts Stemzo with its demo: installs what is missing, then database, web server and render process. Ctrl+C stops all.
source "$(dirname "${BASH_SOURCE[0]}")/install.sh"
need_node
# An external database needs none here.
[ -n "${STEMZO_DATABASE_URL:-}" ] || need_debian 'postgresql=/usr/lib/postgresql/*/bin/initdb'
need_packages
exec node --import tsx scripts/start.ts "$@"
