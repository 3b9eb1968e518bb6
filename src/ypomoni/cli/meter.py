"""`ypomoni meter`: a simulated meter on loopback, to try the bench without one."""

import click

from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.device_types import DEVICE_TYPES
from ypomoni.instruments.addresses import USUAL_PORT
from ypomoni.instruments.simulated import SimulatedLoad, SimulatedMultimeter, SimulatedServer, device_of_type


@click.command()
@click.option("--kind", type=click.Choice(["multimeter", "electronic-load"]), default="multimeter", show_default=True)
@click.option("--device", default="type-cellular-communicator", show_default=True, help="Device of the library behind a multimeter.")
@click.option(
    "--ah", "capacity_ah", type=click.FloatRange(0.01, 1000), default=7.0, show_default=True, help="12 V lead block behind a load."
)
@click.option(
    "--condition", "condition_ratio", type=click.FloatRange(0.3, 1.05), default=0.9, show_default=True, help="What is left of that block."
)
@click.option(
    "--speed", type=click.FloatRange(0.1, 100_000), default=1.0, show_default=True, help="How much faster than the clock it lives."
)
@click.option("--port", type=click.IntRange(1, 65_535), default=USUAL_PORT, show_default=True)
@click.option("--seed", type=int, default=1, show_default=True, help="Its noise.")
def meter_command(kind: str, device: str, capacity_ah: float, condition_ratio: float, speed: float, port: int, seed: int) -> None:
    """Start a simulated meter that speaks SCPI, on loopback, until it is stopped."""
    if kind == "electronic-load":
        bank = Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=capacity_ah)
        meter: SimulatedMultimeter | SimulatedLoad = SimulatedLoad(bank=bank, condition_ratio=condition_ratio, speed=speed, seed=seed)
    else:
        found = next((t for t in DEVICE_TYPES if t.key == device), None)
        if found is None:
            raise click.BadParameter(f"is none of: {', '.join(t.key for t in DEVICE_TYPES)}.", param_hint="--device")
        meter = SimulatedMultimeter(device=device_of_type(found), speed=speed, seed=seed)
    try:
        server = SimulatedServer(meter, port)
    except OSError as error:
        raise click.ClickException(f"Port {port} cannot be listened on: {error.strerror}. Name another with --port.") from error
    click.echo(f"A simulated {kind} listens at {server.address} (Ctrl+C stops it)")
    server.serve()
