"""What gunicorn serves."""

from fennet.web.app import create_app
from fennet.web.settings import Settings

app = create_app(Settings.from_environment())
