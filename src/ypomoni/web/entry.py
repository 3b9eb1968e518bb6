"""What the server process loads: the application, set up from the environment."""

from ypomoni.web import create_app
from ypomoni.web.settings import Settings

app = create_app(Settings.from_environment())
