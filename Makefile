# Set-up is idempotent: stamps in .stamps say what is done.
PY := .venv/bin/python
# what Python has compiled is kept: else every start and every worker compiles all of it again
unexport PYTHONDONTWRITEBYTECODE
SOURCES := $(shell git ls-files 'web/src/*' 'web/public/*' web/index.html web/vite.config.ts 2>/dev/null)

.PHONY: demo test check bench screenshots dev types clean

demo: .stamps/python .stamps/web
	$(PY) -m oskren.cli demo

test: .stamps/python .stamps/web .stamps/chromium .stamps/plugin
	$(PY) tools/run_tests.py

check: .stamps/python .stamps/npm
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports
	cd web && npx biome check src && npx tsc --noEmit
	$(PY) tools/web_order.py
	$(PY) tools/openapi.py .stamps/openapi.json && cmp .stamps/openapi.json web/openapi.json

bench: .stamps/python
	$(PY) -m bench

screenshots: .stamps/python .stamps/web .stamps/chromium
	$(PY) -m tools.screenshots docs/screenshots

dev: .stamps/python .stamps/web
	$(PY) -m oskren.cli demo --port 4747 & server=$$!; trap "kill $$server" EXIT; cd web && npx vite

types: .stamps/python .stamps/npm
	$(PY) tools/openapi.py web/openapi.json
	$(PY) tools/bundle_schema.py docs/bundle.schema.json
	cd web && npm run types

.stamps/python: requirements.lock pyproject.toml
	test -d .venv || python3 -m venv .venv
	$(PY) -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(PY) -m pip install --quiet --disable-pip-version-check --no-deps --editable .
	@mkdir -p .stamps && touch $@

.stamps/npm: web/package-lock.json web/.npmrc
	# not "npm ci": optional packages of other platforms are not in the lock file here, and it refuses that
	cd web && npm install --no-save --no-audit --no-fund --loglevel=error
	@mkdir -p .stamps && touch $@

.stamps/web: .stamps/npm $(SOURCES)
	cd web && npm run --silent build
	@mkdir -p .stamps && touch $@

.stamps/chromium:
	test -x /usr/bin/chromium-headless-shell || test -x /usr/bin/chromium || (export DEBIAN_FRONTEND=noninteractive; apt-get update -qq && { apt-get install -y -qq chromium-headless-shell || apt-get install -y -qq chromium; })
	@mkdir -p .stamps && touch $@

# the tests' own plug-in; the headers of the format come with a package of Debian's
SDK := .stamps/sdk/usr/share/juce/modules/juce_audio_processors/format_types/VST3_SDK
TINY := .stamps/Tiny.vst3/Contents/$(shell uname -m)-linux

.stamps/plugin: tests/plugins/tiny.cpp
	command -v g++ >/dev/null || (apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq g++)
	mkdir -p .stamps/sdk $(TINY)
	cd .stamps/sdk && (apt-get download -qq juce-modules-source-data || (apt-get update -qq && apt-get download -qq juce-modules-source-data))
	cd .stamps/sdk && dpkg -x juce-modules-source-data*.deb . && rm juce-modules-source-data*.deb
	space=$$(sed -n 's/^namespace \(\w*\).*/\1/p' $(SDK)/pluginterfaces/base/ftypes.h | head -1) && \
	g++ -std=c++17 -O1 -fPIC -shared -w -DRELEASE=1 -DINIT_CLASS_IID -D$$space=Format -I$(SDK) -o $(TINY)/Tiny.so $<
	@touch $@

clean:
	rm -rf .venv .stamps web/node_modules web/dist demo-home
