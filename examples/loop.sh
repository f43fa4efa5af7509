#!/bin/sh
# Sets up a chain, sends a visit and its conversion, and reads the figures: with curl alone.
#
#   TRACHEON_DESK=http://127.0.0.1:7400 TRACHEON_TOKEN=tracheon_… sh examples/loop.sh
#
# The token needs the scope "write" (Desk, Tokens for scripts). Names are made unique by the time and the process, so
# that the script can be run again.
set -eu

desk=${TRACHEON_DESK:-http://127.0.0.1:7400}
: "${TRACHEON_TOKEN:?set TRACHEON_TOKEN to a token with the scope write}"
stamp=$(date +%s)-$$

# ask METHOD PATH [BODY]: prints the answer, ends with the problem document when it is refused.
# Creating calls carry a key, so that one that is repeated after a lost answer makes nothing twice.
ask() {
  curl --silent --show-error --fail-with-body --request "$1" "$desk/api$2" \
    --header "Authorization: Bearer $TRACHEON_TOKEN" \
    --header 'Content-Type: application/json' \
    --header "Idempotency-Key: $stamp$(printf %s "$2" | tr -c 'a-z' -)" \
    ${3:+--data "$3"}
}
# field NAME: the first text of that name in the JSON on standard input.
field() { sed -n "s/.*\"$1\":\"\([^\"]*\)\".*/\1/p" | head -n 1; }
# record: the ID and the key of a record, which stand before its body.
id() { sed -n 's/^{"id":"\([^"]*\)".*/\1/p'; }
key() { sed -n 's/^{[^{]*"key":"\([^"]*\)".*/\1/p'; }

tracking=$(ask GET /me | field trackingOrigin)

network=$(ask POST /parts/network '{
  "name": "Larkspur CPA '"$stamp"'", "clickIdParameter": "aff_ref", "macroStyle": "#x#",
  "fields": { "click_id": {"macro": "#ref#"}, "payout": {"macro": "#amt#"}, "transaction": {"macro": "#txn#"} }
}')
source=$(ask POST /parts/source '{
  "name": "Moorhen Push '"$stamp"'", "macroStyle": "[x]", "costCurrency": "EUR",
  "parameters": [
    { "parameter": "clk", "macro": "[click]", "role": "click_id" },
    { "parameter": "site", "macro": "[site]", "role": "sub", "sub": "site" },
    { "parameter": "bid", "macro": "[cost]", "role": "cost" }
  ]
}')
offer=$(ask POST /parts/offer '{
  "name": "Terrarium box '"$stamp"'", "networkId": "'"$(echo "$network" | id)"'",
  "link": "https://go.larkspur.example/o/4471?site={sub_site}", "currency": "EUR"
}')
campaign=$(ask POST /parts/campaign '{
  "name": "Terrarium by script '"$stamp"'", "sourceId": "'"$(echo "$source" | id)"'",
  "offerId": "'"$(echo "$offer" | id)"'", "costModel": "link", "costCurrency": "EUR"
}')
echo "campaign $(echo "$campaign" | id)"

# soon COMMAND: repeats it until it prints something, for at most half a minute.
soon() {
  tries=0
  until answer=$("$@") && [ -n "$answer" ]; do
    tries=$((tries + 1))
    [ "$tries" -lt 30 ] || return 1
    sleep 1
  done
  echo "$answer"
}

# A change is live within a second or two. The visitor is sent on; our click ID stands in the address.
visit() {
  curl --silent --show-error --output /dev/null --write-out '%{redirect_url}' \
    --user-agent 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0' \
    "$tracking/v/$(echo "$campaign" | key)?clk=script-$stamp&site=kiosk-nord.example&bid=0.25"
}
location=$(soon visit)
click=$(echo "$location" | sed -n 's/.*[?&]aff_ref=\([0-9A-Z]*\).*/\1/p')
echo "visit $click sent to $location"

# The network's call about it.
curl --silent --show-error --fail-with-body \
  "$tracking/in/$(echo "$network" | key)?click_id=$click&payout=18.00&transaction=S-$stamp"
echo

# The figures: spent 0.25, earned 18.00. A postback that was answered "queued" counts a moment later.
figures() {
  ask GET "/reports/campaigns/$(echo "$campaign" | id)?period=today" |
    sed 's/.*"total":{\(.*\)}.*/\1/' | tr ',' '\n' | sed -n '/"visits"\|"conversions"\|Micros"/p'
}
earned() { figures | grep '"earnedMicros":"[1-9]'; }
soon earned >/dev/null
figures
