import IconButton from '@mui/material/IconButton';
import InputAdornment from '@mui/material/InputAdornment';
import TextField, { type TextFieldProps } from '@mui/material/TextField';
import Visibility from '@mui/icons-material/Visibility';
import VisibilityOff from '@mui/icons-material/VisibilityOff';
import { useState } from 'react';

/** A password as it is typed; it can be seen by whoever wants to. */
export function PasswordField(props: Omit<TextFieldProps, 'type'>) {
  const [seen, setSeen] = useState(false);
  return (
    <TextField
      {...props}
      type={seen ? 'text' : 'password'}
      slotProps={{
        htmlInput: { spellCheck: false, autoCapitalize: 'none' },
        input: {
          endAdornment: (
            <InputAdornment position="end">
              <IconButton
                edge="end"
                size="small"
                aria-label={seen ? 'Hide what is typed' : 'See what is typed'}
                onClick={() => setSeen(!seen)}
              >
                {seen ? <VisibilityOff fontSize="small" /> : <Visibility fontSize="small" />}
              </IconButton>
            </InputAdornment>
          ),
        },
      }}
    />
  );
}
