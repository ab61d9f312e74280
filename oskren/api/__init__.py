"""The interface for the browser: FastAPI, one router a stage, typed both ways."""
