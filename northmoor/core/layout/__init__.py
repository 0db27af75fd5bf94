"""From arranged rows and page setup to pages: display lists with exact coordinates."""
