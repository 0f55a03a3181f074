# The program as a container, for schedules and pipelines:
#
#   docker build -f Containerfile -t neat-delta .        (podman build does the same)
#   docker run --rm --user "$(id -u):$(id -g)" -v "$PWD:/work" neat-delta compare live.csv edited.csv
#
# /work is the folder of your files, /data the history and the kept exports: mount both, for what is written
# elsewhere goes with the container.
ARG BASE=docker.io/library/python:3.13-slim
FROM ${BASE}
ARG EXTRAS=charts,remote,sql,s3,webdav
COPY pyproject.toml README.md LICENSE /build/
COPY docs/man /build/docs/man
COPY src /build/src
RUN python3 -m venv /opt/neat-delta \
 && /opt/neat-delta/bin/pip install --no-cache-dir "/build[${EXTRAS}]" \
 && rm -rf /build \
 && ln -s /opt/neat-delta/bin/neat-delta /usr/local/bin/neat-delta \
 && mkdir /data /work \
 && chmod 1777 /data /work
ENV NEAT_DELTA_DATA=/data PYTHONUNBUFFERED=1
# Nobody in particular; "--user" takes you, so that files belong to you.
USER 65534:65534
WORKDIR /work
VOLUME /data
ENTRYPOINT ["neat-delta"]
CMD ["--help"]
