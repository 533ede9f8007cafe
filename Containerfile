# A host in a container: podman build -t muddled-orchard . (docs/operating.md says how it is run)
FROM docker.io/library/python:3.12-slim

RUN apt-get update \
    && apt-get install --yes --no-install-recommends git \
    && rm -rf /var/lib/apt/lists/* \
    && useradd --system --uid 10001 --create-home --home-dir /srv/orchard orchard

COPY pyproject.toml README.md /build/
COPY src /build/src
RUN pip install --no-cache-dir '/build[host]' && rm -rf /build

USER orchard
WORKDIR /srv/orchard
VOLUME /srv/orchard
EXPOSE 8000
ENTRYPOINT ["muddled"]
CMD ["host", "--address", "0.0.0.0"]
