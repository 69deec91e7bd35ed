"""What gunicorn serves."""

from fennet.web.app import create_app, settle
from fennet.web.settings import Settings

app = create_app(Settings.from_environment())
settle()
