"""Types of what is dragged and copied, as the desktop's clipboard knows them."""

PAD_MIME = "application/x-puddle-pad"  # by id, within a window
SOUNDS_MIME = "application/x-puddle-sounds"  # of the library, by id, within a window
PARCEL_MIME = "application/x-puddle-parcel"  # whole, between windows
URLS_MIME = "text/uri-list"  # files, for any program
