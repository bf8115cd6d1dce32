#!/usr/bin/env bash
# Takes one commit into one environment: asks, waits for the people who decide, deploys with the clearance,
# and reports. Everything Dogana needs to know comes from these few commands.
#
#   DOGANA_URL, DOGANA_TOKEN   where Dogana answers, and a token with the scopes request and deploy
#   SERVICE VERSION REVISION   what is to be deployed
#   ARTIFACT                   the built file
#   REPORTS                    a folder with results.xml (JUnit) and scan.sarif, from the build; may be empty
set -euo pipefail
environment=$1

# A key of our own: when this step runs twice, nothing is asked for twice. Where the deployment failed and was taken
# back, the second run asks anew.
number=$(dogana request --service "$SERVICE" --version "$VERSION" --to "$environment" \
  --rev "$REVISION" --artifact "$ARTIFACT" --key "$SERVICE-$VERSION-$environment" --anew)

[ -e "${REPORTS:-}/results.xml" ] && dogana attach "$SERVICE" "$VERSION" "$REPORTS/results.xml" \
  --name test-report --format junit --by "$(hostname)"
[ -e "${REPORTS:-}/scan.sarif" ] && dogana attach "$SERVICE" "$VERSION" "$REPORTS/scan.sarif" \
  --name vulnerability-scan --format sarif --by "$(hostname)"

# 3: turned back, withdrawn or superseded; 4: the time is up; 5: a fact bars it, such as an open ticket.
dogana wait "$number" --timeout "${PATIENCE:-3600}" --every "${EVERY:-2}" --unless barred

clearance=$(mktemp)
trap 'rm -f "$clearance"' EXIT
dogana depart "$number" --clearance "$clearance"

# The secrets of exactly this service and environment, as variables; the reading is on record.
set -a
eval "$(dogana values --clearance "$clearance")"
set +a

if ./deploy "$environment" "$ARTIFACT" "$clearance"; then
  dogana report "$number" landed --artifact "$ARTIFACT"
else
  dogana report "$number" failed --note "the deployment ended with an error"
  exit 1
fi
