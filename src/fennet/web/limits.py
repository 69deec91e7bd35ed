"""How often a door may be knocked at. Counted in each server process by itself."""

from flask_limiter import Limiter
from flask_limiter.util import get_remote_address

limiter = Limiter(get_remote_address, storage_uri="memory://", headers_enabled=True)
SIGN_IN = "8 per minute; 60 per hour"
